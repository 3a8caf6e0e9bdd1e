import Box from '@mui/material/Box';
import Button from '@mui/material/Button';
import Link from '@mui/material/Link';
import Typography from '@mui/material/Typography';
import { useColorScheme } from '@mui/material/styles';
import { useQuery, useQueryClient } from '@tanstack/react-query';
import { BrowserRouter, Link as RouterLink, NavLink, Route, Routes } from 'react-router';
import { lazy, Suspense } from 'react';
import { answer, api, ApiProblem, remember } from './api';
import { moment } from './format';
import { useLive } from './live';
import { May } from './parts/May';
import { Status } from './parts/Status';
import { Trouble } from './parts/Trouble';
import { SignIn } from './account/SignIn';

const page = <K extends string>(name: K, load: () => Promise<Record<K, React.ComponentType>>) => lazy(async () => ({ default: (await load())[name] }));
const AccessPage = page('AccessPage', () => import('./account/AccessPage'));
const AssessedMachinePage = page('AssessedMachinePage', () => import('./assessments/AssessedMachinePage'));
const AssessmentPage = page('AssessmentPage', () => import('./assessments/AssessmentPage'));
const AssessmentsPage = page('AssessmentsPage', () => import('./assessments/AssessmentsPage'));
const ComparisonPage = page('ComparisonPage', () => import('./assessments/ComparisonPage'));
const MachinePage = page('MachinePage', () => import('./machines/MachinePage'));
const MachinesPage = page('MachinesPage', () => import('./machines/MachinesPage'));
const OverviewPage = page('OverviewPage', () => import('./overview/OverviewPage'));
const SitePage = page('SitePage', () => import('./sites/SitePage'));
const SitesPage = page('SitesPage', () => import('./sites/SitesPage'));
const WavePage = page('WavePage', () => import('./waves/WavePage'));
const WavesPage = page('WavesPage', () => import('./waves/WavesPage'));
const LanesPage = page('LanesPage', () => import('./lanes/LanesPage'));
const LanePage = page('LanePage', () => import('./lanes/LanePage'));
const RecoveryPage = page('RecoveryPage', () => import('./recovery/RecoveryPage'));
const ActivityPage = page('ActivityPage', () => import('./activity/ActivityPage'));

const linked = ({ isActive }: { isActive: boolean }) => ({ fontWeight: isActive ? 700 : 400, color: 'inherit', textDecoration: isActive ? 'underline' : 'none', textUnderlineOffset: 6, padding: '2px 4px' });

/** What each is called, and whether it has something for those who are limited to some machines. */
const SECTIONS = [
  ['/', 'Overview', true],
  ['/sites', 'Sites', false],
  ['/machines', 'Machines', true],
  ['/assessments', 'Assessments', false],
  ['/lanes', 'Lanes', false],
  ['/waves', 'Waves', true],
  ['/recovery', 'Recovery', true],
  ['/activity', 'Activity', true],
] as const;

function Bar({ account, onSignOut }: { account: string; onSignOut: () => void }) {
  const cut = useLive();
  const { mode, systemMode, setMode } = useColorScheme();
  const dark = (mode === 'system' ? systemMode : mode) === 'dark';
  return (
    <Box component="header" sx={{ display: 'flex', gap: 2.5, alignItems: 'center', px: 2, py: 0.75, borderBottom: 1, borderColor: 'divider', bgcolor: 'background.paper', flexWrap: 'wrap' }}>
      <Link component={RouterLink} to="/" underline="none" color="inherit" sx={{ fontWeight: 700 }}>
        Barge Lane
      </Link>
      <Box component="nav" aria-label="Main" sx={{ display: 'flex', gap: 2, flexWrap: 'wrap' }}>
        {SECTIONS.map(([path, name, own]) => (
          <May key={path} own={own}>
            <NavLink to={path} end={path === '/'} style={linked}>
              {name}
            </NavLink>
          </May>
        ))}
      </Box>
      <Box sx={{ ml: 'auto', display: 'flex', gap: 2, alignItems: 'center' }}>
        <Status tone={cut === undefined ? 'good' : 'bad'}>{cut === undefined ? 'live' : `not connected since ${moment(cut.toISOString())}: what is shown is of then`}</Status>
        <Button onClick={() => setMode(dark ? 'light' : 'dark')}>{dark ? 'Light' : 'Dark'}</Button>
        <NavLink to="/access" style={linked} aria-label={`Access of ${account}`}>
          {account}
        </NavLink>
        <Button onClick={onSignOut}>Sign out</Button>
      </Box>
    </Box>
  );
}

const AGAIN_MS = 3000;

function signedOut(error: Error | null): boolean {
  return error instanceof ApiProblem && error.problem.status === 401;
}

export function App() {
  const client = useQueryClient();
  const me = useQuery({
    queryKey: ['me'],
    queryFn: async () => {
      const me = await answer(api.GET('/api/v1/me'));
      remember(me.csrf);
      return me;
    },
    retry: false,
    // Away: it is asked for until it is back.
    refetchInterval: (query) => (query.state.error === null || signedOut(query.state.error) ? false : AGAIN_MS),
  });
  if (signedOut(me.error)) {
    return <SignIn onSignedIn={() => void client.resetQueries()} />;
  }
  // While the service is away the page stays as it was last read; the bar says that it is not connected.
  if (me.data === undefined) {
    return me.error === null ? null : <Trouble error={me.error} />;
  }
  const signOut = async () => {
    await answer(api.POST('/api/v1/sign-out'));
    await client.resetQueries();
  };
  return (
    <BrowserRouter>
      <Bar account={me.data.account} onSignOut={() => void signOut()} />
      <Box component="main" sx={{ p: 2, maxWidth: 1500, mx: 'auto' }}>
        <Suspense fallback={null}>
        <Routes>
          <Route path="/" element={<OverviewPage />} />
          <Route path="/sites" element={<SitesPage />} />
          <Route path="/sites/:site" element={<SitePage />} />
          <Route path="/machines" element={<MachinesPage />} />
          <Route path="/machines/:machine" element={<MachinePage />} />
          <Route path="/assessments" element={<AssessmentsPage />} />
          <Route path="/assessments/:name" element={<AssessmentPage />} />
          <Route path="/assessments/:name/comparison" element={<ComparisonPage />} />
          <Route path="/assessments/:name/machines/:machine" element={<AssessedMachinePage />} />
          <Route path="/lanes" element={<LanesPage />} />
          <Route path="/lanes/:lane" element={<LanePage />} />
          <Route path="/waves" element={<WavesPage />} />
          <Route path="/recovery" element={<RecoveryPage />} />
          <Route path="/activity" element={<ActivityPage />} />
          <Route path="/access" element={<AccessPage />} />
          <Route path="/waves/:name" element={<WavePage />} />
          <Route
            path="*"
            element={
              <Typography>
                There is nothing at this address. <Link component={RouterLink} to="/">To the overview</Link>
              </Typography>
            }
          />
        </Routes>
        </Suspense>
      </Box>
    </BrowserRouter>
  );
}

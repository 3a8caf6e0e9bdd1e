import Link from '@mui/material/Link';
import { Link as RouterLink } from 'react-router';
import type { Remedy } from '../api';

type Action = Exclude<Remedy['action'], ''>;

const at = (section: string, ...names: string[]) => [section, ...names.map(encodeURIComponent)].filter((part) => part !== '').join('/');
/** A wave's page with the dialog of a verb open. */
const verb = (name: string, title: string): [string, (wave?: string) => string] => [title, (wave = '') => `${at('/waves', wave)}?do=${name}`];
const sites: [string, (site?: string) => string] = ['Sites', (site = '') => at('/sites', site)];
const lane = (title: string): [string, (name?: string) => string] => [title, (name = '') => at('/lanes', name)];
const placed: [string, (name?: string, machine?: string) => string] = ['The lane', (name = '', machine = '') => `${at('/lanes', name)}?filter=${encodeURIComponent(`name = '${machine.replaceAll("'", "''")}'`)}&machine=${encodeURIComponent(machine)}`];
const assessment: [string, (name?: string) => string] = ['The assessment', (name = '') => at('/assessments', name)];

/** Where each action is done here, and what the link says. What can't be done here is said as a command. */
const STEPS: Record<Action, [string, (...args: string[]) => string] | string> = {
  'service-start': './bargelane start',
  'site-add': sites,
  'site-list': sites,
  'site-check': ['The site', sites[1]],
  'site-scan': ['The site', sites[1]],
  'site-credentials': ['The site', sites[1]],
  'credential-list': sites,
  'credential-add': sites,
  'credential-edit': sites,
  'credential-bind': sites,
  'server-add': ['The site', sites[1]],
  'server-trust': ['The site', sites[1]],
  'server-list': ['The site', sites[1]],
  'agent-key': ['The site', sites[1]],
  'agent-list': ['The site', sites[1]],
  'agent-approve': ['The site', sites[1]],
  'agent-remove': ['The site', sites[1]],
  'machine-list': ['Machines', () => '/machines'],
  'machine-filter': ['Machines', (filter = '') => `/machines?filter=${encodeURIComponent(filter)}`],
  'machine-add': ['The site', sites[1]],
  'label-list': ['Machines', () => '/machines'],
  'book-list': assessment,
  'book-add': ['Price books', () => '/assessments'],
  'book-show': ['Price books', () => '/assessments'],
  'fitness-list': ['Assessments', () => '/assessments'],
  'assessment-list': ['Assessments', () => '/assessments'],
  'assessment-add': ['Assessments', () => '/assessments'],
  'assessment-edit': assessment,
  'assessment-show': assessment,
  'assessment-machines': assessment,
  'assessment-machine': ['The machine', (name = '', machine = '') => at('/assessments', name, 'machines', machine)],
  'assessment-compare': ['Compare', (name = '', from = '') => `${at('/assessments', name)}/comparison?from=${from}`],
  'lane-list': ['Lanes', () => '/lanes'],
  'lane-join-network': lane('The lane'),
  'lane-join-storage': lane('The lane'),
  'lane-rules': lane('The lane'),
  'lane-ingress': placed,
  'lane-clients': lane('Clients'),
  'lane-set': placed,
  'lane-copy-disk': placed,
  'lane-subnet': placed,
  'lane-accept-overlap': lane('The lane'),
  'lane-link': lane('The lane'),
  'lane-spans': lane('The lane'),
  'lane-remove': ['Lanes', () => '/lanes'],
  'timetable-list': ['Waves', () => '/waves'],
  'wave-list': ['Waves', () => '/waves'],
  'wave-show': ['The wave', (wave = '') => at('/waves', wave)],
  'wave-size': ['Assessments', () => '/assessments'],
  'wave-refit': ['The wave', (wave = '') => at('/waves', wave)],
  'wave-load': verb('load', 'Load'),
  'wave-test': verb('test', 'Test cutover'),
  'wave-cutover': verb('cutover', 'Cutover'),
  'wave-failback': verb('failback', 'Failback'),
  'wave-reconcile': verb('reconcile', 'Reconcile'),
  'wave-resume': verb('resume', 'Resume'),
  'wave-declare-lost': ['The running work', (wave = '') => at('/waves', wave)],
  'wave-settle': verb('settle', 'Settle'),
  'point-list': ['The wave', (wave = '') => at('/waves', wave)],
  'run-list': ['Activity', () => '/activity'],
  'run-show': ['The run', (run = '') => `/activity?passes=true&run=${encodeURIComponent(run)}`],
  'run-console': ['The console', (run = '') => `/activity?passes=true&run=${encodeURIComponent(run)}`],
  'dossier-list': ['Recovery', () => '/recovery'],
  'approval-list': ['Recovery', () => '/recovery'],
  'approval-show': ['Recovery', () => '/recovery'],
  'approval-ask': ['The wave', (wave = '') => at('/waves', wave)],
  'account-list': ['Accounts', () => '/access'],
  'account-edit': ['Accounts', () => '/access'],
  'token-list': ['Tokens', () => '/access'],
  'node-list': ['Nodes', () => '/sites'],
};

/** What mends something: the advice, and a link to where it is done. Nothing where there is nothing to do. */
export function NextStep({ remedy, before = '' }: { remedy: Remedy; before?: string }) {
  if (remedy.advice === '' && remedy.action === '') {
    return null;
  }
  const step = remedy.action === '' ? undefined : STEPS[remedy.action];
  return (
    <>
      {before}
      {remedy.advice}
      {step !== undefined && remedy.advice !== '' && ': '}
      {typeof step === 'string' && <code>{step}</code>}
      {Array.isArray(step) && (
        <Link component={RouterLink} to={step[1](...remedy.arguments)}>
          {step[0]}
        </Link>
      )}
    </>
  );
}

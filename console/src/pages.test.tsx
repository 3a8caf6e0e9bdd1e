// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import type { ReactElement } from 'react';
import { MemoryRouter, Route, Routes, useLocation } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { ActivityPage } from './activity/ActivityPage';
import { answer, api, ApiProblem, remember, type Overview, type Run } from './api';
import { LanesPage } from './lanes/LanesPage';
import { MachinesPage } from './machines/MachinesPage';
import { OverviewPage } from './overview/OverviewPage';
import { RecoveryPage } from './recovery/RecoveryPage';
import { card, member, service, wave } from './testing';
import { WavePage } from './waves/WavePage';
import { WavesPage } from './waves/WavesPage';
import { Adoption } from './sites/Adoption';

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

function Where() {
  const at = useLocation();
  return <output>{at.pathname + at.search}</output>;
}

/** A page at an address, with what the service answers. */
function shown(page: ReactElement, path: string, at: string, answers: Record<string, unknown>) {
  const { asked, fetching } = service(answers);
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter initialEntries={[at]}>
        <Routes>
          <Route path={path} element={page} />
        </Routes>
        <Where />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return asked;
}

const at = () => screen.getByRole('status').textContent;

const run: Run = {
  id: 'run-1', kind: 'test', title: 'Test cutover of lending', subjectKind: 'wave', subject: 'lending', state: 'running', startedAt: '2026-11-02T08:00:00Z', endedAt: null, startedBy: 'engineer',
  steps: [{ number: 1, name: 'clone', title: 'Clone the point', state: 'running', detail: '', startedAt: '2026-11-02T08:00:00Z', endedAt: null }], problem: null, result: null,
};

const overview = (change: Partial<Overview> = {}): Overview => ({
  now: '2026-11-02T08:00:04Z', needs: [], gates: { found: 2 }, machines: 36, planned: 2, waves: [card()], running: [], recent: [], ...change,
});

describe('the client of the API', () => {
  it('gives what is asked for, and says who asks only where something changes', async () => {
    const { asked, fetching } = service({ 'GET /waves/first%20evening': wave(), 'POST /label-rules': { id: 'lr-1' } });
    vi.stubGlobal('fetch', fetching);
    remember('token');
    expect((await answer(api.GET('/api/v1/waves/{wave}', { params: { path: { wave: 'first evening' } } }))).name).toBe('lending');
    await answer(api.POST('/api/v1/label-rules', { body: { name: 'app', value: 'lending', filter: '' } }));
    expect(asked[0].csrf).toBeNull();
    expect(asked[1]).toEqual({ method: 'POST', path: '/label-rules', body: { name: 'app', value: 'lending', filter: '' }, csrf: 'token' });
  });
  it('tells a problem as the service tells it', async () => {
    vi.stubGlobal('fetch', service({}).fetching);
    const failure = await answer(api.GET('/api/v1/waves')).catch((e: unknown) => e);
    expect(failure).toBeInstanceOf(ApiProblem);
    expect((failure as ApiProblem).problem.code).toBe('path-unknown');
  });
  it('tells what is no answer of ours, and what does not answer, with the next step', async () => {
    vi.stubGlobal('fetch', service({ 'GET /waves': new Response('<html>bad gateway</html>', { status: 502 }) }).fetching);
    const strange = (await answer(api.GET('/api/v1/waves')).catch((e: unknown) => e)) as ApiProblem;
    expect(strange.problem.code).toBe('http-502');
    vi.stubGlobal('fetch', service({ 'GET /waves': new TypeError('failed to fetch') }).fetching);
    const gone = (await answer(api.GET('/api/v1/waves')).catch((e: unknown) => e)) as ApiProblem;
    expect(gone.problem.code).toBe('unreachable');
    expect(gone.problem.remedy.action).toBe('service-start');
  });
});

describe('the overview', () => {
  it('lists what needs somebody, with a link to where it is done', async () => {
    const need = { urgency: 'next', thing: 'wave lending', cause: "gate 'proven' is shut for 2 of 2 machines", remedy: { advice: '', action: 'wave-test' as const, arguments: ['lending'] }, wave: 'lending', since: null };
    shown(<OverviewPage />, '/', '/', { 'GET /overview': overview({ needs: [need] }) });
    const link = await screen.findByRole('link', { name: 'Test cutover' });
    expect(link.getAttribute('href')).toBe('/waves/lending?do=test');
    expect(screen.getByText('36 machines found, 2 planned')).toBeTruthy();
  });
  it('says that nothing does', async () => {
    shown(<OverviewPage />, '/', '/', { 'GET /overview': overview() });
    expect(await screen.findByText('Nothing needs you now.')).toBeTruthy();
  });
  it('says why it can not be read', async () => {
    shown(<OverviewPage />, '/', '/', { 'GET /overview': new TypeError('failed to fetch') });
    expect((await screen.findByRole('alert')).textContent).toBe('The service does not answer. Next: see whether it runs: ./bargelane start');
  });
});

describe('a wave', () => {
  const answers = (change = {}) => ({ 'GET /waves/lending': wave({ machines: [member(5)], verbs: ['test', 'cutover'], ...change }), 'GET /waves/lending/passes': [], 'GET /waves/lending/refit': [], 'GET /waves/lending/probes': [], 'GET /runs/run-1/consoles': [] });

  it('opens the dialog that a link asks for, and does it', async () => {
    const asked = shown(<WavePage />, '/waves/:name', '/waves/lending?do=test', { ...answers(), 'POST /waves/lending/test': run });
    const dialog = await screen.findByRole('dialog');
    fireEvent.click(within(dialog).getByRole('button', { name: 'Test cutover' }));
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
    expect(asked.filter((a) => a.method === 'POST')).toEqual([{ method: 'POST', path: '/waves/lending/test', body: {}, csrf: 'token' }]);
    // The page behind the dialog is shown again a moment after it has gone.
    await waitFor(() => expect(at()).toBe('/waves/lending'));
  });
  it('adds to a guest what its refit offers', async () => {
    const offers = [{ name: 'time-sync', what: 'no service keeps its clock right', accepted: false }];
    const plan = { machine: 'lending-db', lookedAt: '2026-11-30T05:00:00Z', point: 3, needed: true, os: 'Tidewater OS 4', firmware: 'bios', throughYard: false, summary: '1 file changes', edits: [], unjudged: [], refused: [], offers, word: '' };
    const asked = shown(<WavePage />, '/waves/:name', '/waves/lending', { ...answers(), 'GET /waves/lending/refit': [plan], 'PUT /waves/lending/refit/offers': [plan] });
    fireEvent.click(await screen.findByRole('button', { name: 'Add time-sync for lending-db' }));
    await waitFor(() => expect(asked.filter((a) => a.method === 'PUT').map((a) => a.body)).toEqual([{ machine: 'lending-db', offer: 'time-sync', accepted: true }]));
  });
  it('ignores a link to what the service does not offer now', async () => {
    shown(<WavePage />, '/waves/:name', '/waves/lending?do=settle', answers());
    expect(await screen.findByRole('heading', { name: 'lending' })).toBeTruthy();
    expect(screen.queryByRole('dialog')).toBeNull();
  });
  it('wants the name typed before a cutover, and sends what was typed', async () => {
    const asked = shown(<WavePage />, '/waves/:name', '/waves/lending?do=cutover', { ...answers(), 'POST /waves/lending/cutover': run });
    const dialog = await screen.findByRole('dialog');
    const go = within(dialog).getByRole<HTMLButtonElement>('button', { name: 'Cutover' });
    expect(go.disabled).toBe(true);
    fireEvent.change(within(dialog).getByRole('textbox'), { target: { value: 'lending' } });
    fireEvent.click(go);
    await waitFor(() => expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ confirm: 'lending' }));
  });
  it('shows how far a pass is, and what keeps a gate shut', async () => {
    const pass = { id: 'p', run: 'run-2', number: 7, kind: 'delta', state: 'leased', asOf: null, startedAt: '2026-11-02T08:00:00Z', endedAt: null, total: 2048, done: 1024, sent: 512, zeroed: 0, read: 1024, rate: 256, remainingSeconds: 4, problem: '', disks: [] };
    shown(<WavePage />, '/waves/:name', '/waves/lending', answers({ lastPass: pass }));
    expect(await screen.findByText('512B sent of 2KiB looked at')).toBeTruthy();
    expect(screen.getByText('256B/s')).toBeTruthy();
    expect(screen.getByRole('progressbar', { name: 'progress of the pass' }).getAttribute('aria-valuenow')).toBe('50');
    expect(screen.getByText(/gate ‘proven’: shut/)).toBeTruthy();
  });
  it('shows how machines are probed, and changes it', async () => {
    const probe = { machine: 'lending-db', kind: 'http', port: 0, path: '/', withinSeconds: 180, chosen: false, seen: ['tcp 5432'] };
    const asked = shown(<WavePage />, '/waves/:name', '/waves/lending', { ...answers(), 'GET /waves/lending/probes': [probe], 'PUT /waves/lending/probes': [{ ...probe, port: 5432, chosen: true }] });
    fireEvent.click(await screen.findByRole('button', { name: 'Change the probe of lending-db' }));
    const dialog = await screen.findByRole('dialog');
    const save = within(dialog).getByRole<HTMLButtonElement>('button', { name: 'Save' });
    fireEvent.change(within(dialog).getByLabelText('Time from its start'), { target: { value: 'soon' } });
    expect(save.disabled).toBe(true);
    fireEvent.change(within(dialog).getByLabelText('Time from its start'), { target: { value: '5m' } });
    fireEvent.change(within(dialog).getByLabelText('Port of the guest'), { target: { value: '5432' } });
    fireEvent.click(save);
    await waitFor(() => expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ machine: 'lending-db', kind: 'http', port: 5432, path: '/', withinSeconds: 300 }));
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
  });
  it('shows the consoles of the guests that a run starts', async () => {
    const told = { machine: 'lending-db', site: 'saltmarsh', at: '2026-11-02T08:00:00Z', sign: 'kernel-panic', end: true, cause: 'the kernel stopped with a panic', remedy: { advice: 'read what the console says before it', action: '', arguments: [] }, text: 'line one\nKernel panic - not syncing' };
    shown(<WavePage />, '/waves/:name', '/waves/lending', { ...answers({ running: [run] }), 'GET /runs/run-1/consoles': [told] });
    expect((await screen.findByRole('log', { name: 'Console of lending-db' })).textContent).toContain('Kernel panic');
    expect(screen.getByText('the kernel stopped with a panic')).toBeTruthy();
    expect(screen.getByText(/read what the console says before it/)).toBeTruthy();
  });
  it('names the sides that diverged', async () => {
    shown(<WavePage />, '/waves/:name', '/waves/lending', answers({ divergence: { commonPoint: 'point 4', home: 'mill-street', homeBytes: 1024, away: 'saltmarsh', awayBytes: 2048, overlapSeconds: 3 } }));
    expect(await screen.findByText(/Since point 4 mill-street changed 1KiB and saltmarsh 2KiB\. Both may have run at once for up to 3\.0s/)).toBeTruthy();
  });
});

describe('waves and what could be recovered', () => {
  it('stand in tables with what comes next', async () => {
    shown(<WavesPage />, '/waves', '/waves', { 'GET /overview': overview() });
    expect(await screen.findByRole('link', { name: 'lending' })).toBeTruthy();
  });
  it('leave out what is settled, and show what runs', async () => {
    shown(<RecoveryPage />, '/recovery', '/recovery', { 'GET /overview': overview({ running: [run], waves: [card(), card({ id: 'w2', name: 'done', state: 'settled' })] }), 'GET /dossiers': [{ id: 'dos-1', kind: 'cutover', wave: 'done', run: 'run-9', at: '2026-11-01T20:00:00Z', record: {} }] });
    expect(await screen.findByText('Test cutover of lending')).toBeTruthy();
    expect(await screen.findByText('run-9')).toBeTruthy();
    const exposed = screen.getByRole('region', { name: 'What could be recovered' });
    expect(within(exposed).queryByRole('link', { name: 'done' })).toBeNull();
  });
  it('asks for a scrub, and says what the last one found', async () => {
    const found = { ...wave().leg!, scrubbedAt: '2026-11-01T08:00:00Z', scrubFound: '64KiB at the target are not what was written there: disk 0 of ledger' };
    const asked = shown(<WavePage />, '/waves/:name', '/waves/lending', { 'GET /waves/lending': wave({ machines: [member(5)], leg: found }), 'GET /waves/lending/passes': [], 'GET /waves/lending/refit': [], 'POST /waves/lending/scrub': run });
    fireEvent.click(await screen.findByRole('button', { name: 'Scrub the copies' }));
    expect(screen.getByText(/^scrubbed .*: 64KiB at the target/)).toBeTruthy();
    await waitFor(() => expect(asked.some((a) => a.method === 'POST' && a.path === '/waves/lending/scrub')).toBe(true));
  });
  it('changes a timetable, and sends no length of time that can not be read', async () => {
    const brisk = { id: 'tt-1', name: 'brisk', everySeconds: 90061, rpoSeconds: 120000, keepPoints: 6, verify: true, quiesce: true };
    const asked = shown(<RecoveryPage />, '/recovery', '/recovery', { 'GET /overview': overview(), 'GET /dossiers': [], 'GET /timetables': [brisk], 'PUT /timetables/brisk': brisk });
    fireEvent.click(await screen.findByRole('button', { name: 'Change' }));
    const form = within(screen.getByRole('form', { name: 'Change timetable brisk' }));
    const every = form.getByLabelText('brisk: a pass every');
    expect((every as HTMLInputElement).value).toBe('90061s');
    fireEvent.change(every, { target: { value: '5 minutes' } });
    expect(form.getByText('such as 30s, 5m or 1h30m')).toBeTruthy();
    expect((form.getByRole('button', { name: 'Change brisk' }) as HTMLButtonElement).disabled).toBe(true);
    fireEvent.change(every, { target: { value: '5m' } });
    fireEvent.click(form.getByLabelText('Verify what is written'));
    fireEvent.click(form.getByRole('button', { name: 'Change brisk' }));
    await waitFor(() => expect(screen.queryByRole('form')).toBeNull());
    expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ everySeconds: 300, rpoSeconds: 120000, keepPoints: 6, verify: false, quiesce: true });
  });
});

describe('lanes', () => {
  it('show both shores, and what is joined to what', async () => {
    const lane = { id: 'l', name: 'over', from: 'mill-street', to: 'saltmarsh', networks: { 'net-a': 'sub-a', 'net-b': 'sub-gone' }, storages: {}, reverseNetworks: { 'sub-a': 'net-a' }, reverseStorages: {}, zone: 'east', keepAddresses: true, revision: 1, findings: [] };
    const shore = { kind: 'network', free: -1, used: 0 };
    const shores = [
      { ...shore, side: 'source', id: 'net-a', name: 'staff', detail: '10.0.0.0/24', used: 1, to: 'sub-a' },
      { ...shore, side: 'source', id: 'net-b', name: 'net-b', detail: '', to: 'sub-gone' },
      { ...shore, side: 'source', id: 'net-c', name: 'net-c', detail: '', to: '' },
      { ...shore, side: 'target', id: 'sub-a', name: 'sub-a', detail: '10.0.0.0/24', free: 12, to: 'net-a' },
      { ...shore, side: 'target', id: 'sub-x', name: 'sub-x', detail: '', to: '' },
    ];
    const asked = shown(<LanesPage />, '/lanes', '/lanes', { 'GET /lanes': [lane], 'GET /lanes/l/shores': shores, 'PUT /lanes/l/rules': lane });
    const near = within(await screen.findByRole('list', { name: 'Networks at mill-street' })).getAllByRole('listitem');
    expect(near.map((r) => r.textContent)).toEqual(['staffnet-a · 10.0.0.0/24 · 1 addresssub-a', 'net-b0 addressessub-gone is not there', 'net-c0 addressesnot joined']);
    const far = within(screen.getByRole('list', { name: 'Networks at saltmarsh' })).getAllByRole('listitem');
    expect(far.map((r) => r.textContent)).toEqual(['sub-a10.0.0.0/24 · 0 addresses · 12 free', 'sub-x0 addressesnothing comes here']);
    fireEvent.mouseDown(within(near[2]).getByRole('combobox'));
    fireEvent.click(screen.getByRole('option', { name: 'sub-x' }));
    await waitFor(() => expect(asked.filter((a) => a.method === 'PUT').map((a) => a.body)).toEqual([{ changes: [{ scope: 'network', of: 'net-c', setting: 'subnet', value: 'sub-x' }] }]));
  });
  it('say how the first one is added', async () => {
    shown(<LanesPage />, '/lanes', '/lanes', { 'GET /lanes': [] });
    expect((await screen.findByText(/No lanes yet/)).textContent).toContain('bargelane lane add');
  });
});

describe('activity', () => {
  it('opens a run that the address names, though it is not in the list', async () => {
    shown(<ActivityPage />, '/activity', '/activity?run=run-1', { 'GET /runs': [], 'GET /runs/run-1': run });
    expect(await screen.findByRole('region', { name: 'Steps of run-1' })).toBeTruthy();
    expect(screen.getByText('Clone the point')).toBeTruthy();
  });
  it('keeps its choice in the address and asks for that', async () => {
    const asked = shown(<ActivityPage />, '/activity', '/activity', { 'GET /runs': [run] });
    fireEvent.click(await screen.findByRole('button', { name: 'Only those that run' }));
    await waitFor(() => expect(at()).toBe('/activity?open=true'));
    await waitFor(() => expect(asked.some((a) => a.path === '/runs?size=100&open=true&passes=false')).toBe(true));
  });
});

describe('machines', () => {
  const machine = (name: string) => ({
    id: `m-${name}`, site: 'mill-street', platformId: name, name, cpus: 2, memoryMib: 4096, os: 'Debian GNU/Linux 12', firmware: 'uefi', on: true, fenced: false, disks: [{ volume: 'd', bytes: 1 << 30, storage: 's', mounts: [] }],
    nics: [{ network: 'n', address: '10.0.0.7', mac: '' }], guest: null, labels: { app: 'lending' }, ownLabels: [], ruledLabels: [], sources: [], wave: '', firstSeen: '', lastSeen: '', vanishedAt: null,
  });
  const page = (names: string[], total = names.length) => ({ items: names.map(machine), total, page: 0, size: 50 });

  it('are sorted and paged by the service, as the address says', async () => {
    const asked = shown(<MachinesPage />, '/machines', '/machines?sort=-memory&page=1', { 'GET /machines': page(['a', 'b'], 120), 'GET /label-rules': [] });
    expect(await screen.findByRole('link', { name: 'a' })).toBeTruthy();
    expect(asked.find((a) => a.path.startsWith('/machines'))?.path).toBe('/machines?size=50&page=1&sort=-memory&filter=');
    expect(screen.getByText('51–100 of 120')).toBeTruthy();
    fireEvent.click(screen.getByRole('button', { name: 'Go to next page' }));
    await waitFor(() => expect(at()).toBe('/machines?sort=-memory&page=2'));
    fireEvent.click(screen.getByRole('columnheader', { name: 'CPUs' }));
    await waitFor(() => expect(at()).toBe('/machines?sort=cpus'));
    await waitFor(() => expect(asked.some((a) => a.path === '/machines?size=50&page=0&sort=cpus&filter=')).toBe(true));
  });
  it('do not count what was asked for before as what a new filter chooses', async () => {
    let answered: (page: unknown) => void = () => {};
    let calls = 0;
    shown(<MachinesPage />, '/machines', '/machines', { 'GET /machines': () => (calls++ === 0 ? page(['a', 'b']) : new Promise((done) => (answered = done))), 'GET /label-rules': [] });
    expect(await screen.findByText('2 found')).toBeTruthy();
    fireEvent.change(screen.getByLabelText('Filter'), { target: { value: 'name = a' } });
    fireEvent.click(screen.getByRole('button', { name: 'Filter' }));
    expect(await screen.findByText('being read')).toBeTruthy();
    expect(screen.queryByRole('button', { name: 'Export as CSV' })).toBeNull();
    answered(page(['a']));
    expect(await screen.findByText('1 chosen')).toBeTruthy();
  });
  it('say where a filter is wrong', async () => {
    const wrong = { type: 'about:blank', title: '', status: 422, code: 'filter-malformed', detail: "'memry' is not a field, at character 1", remedy: { advice: 'write memory', action: '', arguments: [] } };
    shown(<MachinesPage />, '/machines', '/machines?filter=memry', { 'GET /machines': new Response(JSON.stringify(wrong), { status: 422 }), 'GET /label-rules': [] });
    expect(await screen.findByText("'memry' is not a field, at character 1. Next: write memory")).toBeTruthy();
  });
});

describe('waves of other services', () => {
  const found = {
    wave: 'lending', tow: 'tow-1', service: 'in-lost', from: 'mill-street', fromAddress: 'http://mill', machines: ['lending-db', 'lending-app'], points: 6, newest: 9, asOf: '2026-11-02T08:00:00Z', verified: 'at-target', runsHere: false, adopted: false,
    findings: [{ code: 'service-may-live', blocks: true, thing: 'lending', cause: 'its newest point is 20s old', remedy: { advice: 'say so: --service-gone', action: '' as const, arguments: [] }, who: 'engineer' }],
  };

  it('are looked for when somebody asks, and taken over when the name is typed', async () => {
    const asked = shown(<Adoption site="saltmarsh" />, '/', '/', {
      'GET /sites/saltmarsh/adoption': { site: 'saltmarsh', waves: [found], left: [{ site: 'saltmarsh', kind: 'volume', name: 'x', owner: 'bargelane/in-lost/tow-1', recorded: false }] },
      'POST /sites/saltmarsh/adoption': { site: 'saltmarsh', waves: [{ ...found, adopted: true, findings: [] }], left: [] },
    });
    expect(asked).toHaveLength(0);
    fireEvent.click(screen.getByRole('button', { name: 'Look for them' }));
    fireEvent.click(await screen.findByRole('button', { name: 'Take over' }));
    expect(screen.getByText(/its newest point is 20s old/)).toBeTruthy();
    expect(screen.getByText(/1 other things? of theirs stays? as/)).toBeTruthy();
    const dialog = within(screen.getByRole('dialog'));
    const take = dialog.getByRole('button', { name: 'Take over' });
    expect(take).toHaveProperty('disabled', true);
    fireEvent.click(dialog.getByLabelText('The service that made them is gone for good'));
    fireEvent.change(dialog.getByLabelText(/Type the site's name/), { target: { value: 'saltmarsh' } });
    fireEvent.click(take);
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
    expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ confirm: 'saltmarsh', waves: ['tow-1'], serviceGone: true, removeMachines: false });
  });

  it('say that none is there', async () => {
    shown(<Adoption site="saltmarsh" />, '/', '/', { 'GET /sites/saltmarsh/adoption': { site: 'saltmarsh', waves: [], left: [] } });
    fireEvent.click(screen.getByRole('button', { name: 'Look for them' }));
    expect(await screen.findByText('None is here.')).toBeTruthy();
  });
});

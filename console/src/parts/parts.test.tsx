// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, render, screen } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { RunSteps } from '../activity/RunSteps';
import type { Run } from '../api';
import { PortGrid } from '../machines/PortGrid';
import { Gates } from '../overview/Gates';
import { service } from '../testing';
import { Findings } from './Findings';
import { May } from './May';
import { Rows } from './Rows';
import { Status, toneOf } from './Status';

afterEach(cleanup);

const run: Run = {
  id: 'run-1', kind: 'test', title: 'Test cutover of lending', subjectKind: 'wave', subject: 'lending', state: 'failed', startedAt: '2026-11-02T08:00:00Z', endedAt: '2026-11-02T08:01:30Z',
  steps: [{ number: 1, name: 'clone', title: 'Clone the point', state: 'done', detail: '2 clones', startedAt: '2026-11-02T08:00:00Z', endedAt: '2026-11-02T08:00:05Z' }],
  problem: { type: 'about:blank', title: '', status: 500, code: 'probe-failed', detail: 'lending-db does not answer', remedy: { advice: 'read its log', action: '', arguments: [] } }, result: null, startedBy: 'engineer',
};

describe('a run with its steps', () => {
  it('shows state, clock and cause with the next step', () => {
    render(<RunSteps run={run} now={0} />);
    expect(screen.getByText(/by engineer · 1m30s/)).toBeTruthy();
    expect(screen.getByText(/lending-db does not answer\. Next: read its log/)).toBeTruthy();
    expect(screen.getByText('2 clones')).toBeTruthy();
    expect(screen.getByText('5.0s')).toBeTruthy();
  });
});

describe('what somebody may not do', () => {
  const shown = (me: { roles: string[]; machines: string }) => {
    const client = new QueryClient();
    client.setQueryData(['me'], { account: 'ada', csrf: '', ...me });
    render(
      <QueryClientProvider client={client}>
        <May>sites </May>
        <May own>waves </May>
        <May roles="planner mover" own>
          move{' '}
        </May>
        <May roles="planner mover">label </May>
      </QueryClientProvider>,
    );
    return document.body.textContent.trim();
  };
  it('is not shown', () => {
    expect(shown({ roles: ['reader'], machines: '' })).toBe('sites waves');
    cleanup();
    expect(shown({ roles: ['mover'], machines: '' })).toBe('sites waves move label');
    cleanup();
    expect(shown({ roles: ['mover', 'reader'], machines: 'label.app = books' })).toBe('waves move');
  });
});

describe('findings', () => {
  it('name the thing, the cause, the remedy, who can mend it and what the code means', async () => {
    const { fetching } = service({ 'GET /findings': [{ code: 'subnet-full', blocks: true, meaning: 'A subnet has no free address left.', advice: 'Have it extended.', who: 'engineer', steps: [] }] });
    vi.stubGlobal('fetch', fetching);
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Findings findings={[{ code: 'subnet-full', blocks: true, thing: 'a', cause: 'it is full', remedy: { advice: 'free one', action: '', arguments: [] }, who: 'site owner' }]} none="" />
      </QueryClientProvider>,
    );
    expect(screen.getByRole('listitem').textContent).toBe('a: it is full. Remedy (site owner): free one subnet-full');
    expect(await screen.findByLabelText('A subnet has no free address left. Have it extended.')).toBeTruthy();
    vi.unstubAllGlobals();
  });
  it('say what it means that there are none', () => {
    render(<Findings findings={[]} none="Nothing is in the way." />);
    expect(screen.getByText('Nothing is in the way.')).toBeTruthy();
  });
});

describe('a status', () => {
  it('is a word, never colour alone', () => {
    render(<Status tone={toneOf('diverged')}>diverged</Status>);
    expect(screen.getByText('diverged')).toBeTruthy();
  });
  it('knows every state of waves, runs and passes', () => {
    expect(['replicating', 'landed', 'settled', 'done', 'complete'].map(toneOf)).toEqual(Array(5).fill('good'));
    expect(['failed', 'diverged'].map(toneOf)).toEqual(['bad', 'bad']);
    expect(['loading', 'testing', 'moving', 'settling', 'running', 'backing out'].map(toneOf)).toEqual(Array(6).fill('working'));
    expect(['planned', 'paused'].map(toneOf)).toEqual(['waiting', 'waiting']);
  });
});

describe('rows', () => {
  it('say what to do where there are none', () => {
    render(<Rows heads={[['A', 'left']]} rows={[]} none="Add one." />);
    expect(screen.getByText('Add one.')).toBeTruthy();
    expect(screen.queryByRole('table')).toBeNull();
  });
});

describe('the gates of the estate', () => {
  it('are counted against the machines that are planned', () => {
    render(<Gates gates={{ found: 2, sized: 0 }} planned={2} />);
    expect(screen.getByText('2/2')).toBeTruthy();
    expect(screen.getByText('0/2')).toBeTruthy();
  });
});

describe('the port grid', () => {
  it('draws a mark with its words for each peer and port', () => {
    const end = (id: string) => ({ machineId: id, machine: id, address: '' });
    const { container } = render(
      <MemoryRouter>
        <PortGrid name="db" machine="db" rows={9} columns={9} connections={[{ client: end('app'), server: end('db'), port: 5432, bytes: 1024 }]} />
      </MemoryRouter>,
    );
    expect(screen.getByRole('link').textContent).toBe('app');
    expect(container.querySelector('polygon title')?.textContent).toBe('db is called by it: app, port 5432, 1KiB');
  });
});

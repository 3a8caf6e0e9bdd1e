// @vitest-environment jsdom
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, describe, expect, it, vi } from 'vitest';
import { ApiProblem, type Run } from '../api';
import { card, member, wave } from '../testing';
import { ActionDialog } from './ActionDialog';
import { actionsOf, meanwhile, pressing, type Action } from './actions';
import { Flight, reached } from './Flight';
import { WaveTable } from './WaveTable';

afterEach(cleanup);

describe('what a wave offers', () => {
  it('is what the service says, in its order', () => {
    expect(actionsOf(wave({ verbs: ['test', 'cutover', 'failover', 'settle'] })).map((a) => a.verb)).toEqual(['test', 'cutover', 'failover', 'settle']);
    expect(actionsOf(wave({ verbs: [] }))).toEqual([]);
    expect(actionsOf(wave({ verbs: ['something new'] }))).toEqual([]);
  });
  it('wants the name typed for what changes machines in production', () => {
    const confirms = Object.fromEntries(actionsOf(wave({ verbs: ['load', 'test', 'cutover', 'failback', 'undo', 'failover', 'settle'] })).map((a) => [a.verb, a.confirm]));
    expect(confirms).toEqual({ load: false, test: false, cutover: true, failback: true, undo: true, failover: true, settle: true });
  });
  it('offers to stop work that runs, and to declare a site lost only while it is backed out', () => {
    const run = { id: 'run-1', title: 'Cutover of lending', state: 'running' } as Run;
    expect(meanwhile(wave(), run).map((a) => [a.title, a.confirm])).toEqual([['Stop', false]]);
    expect(meanwhile(wave(), { ...run, state: 'backing out' }).map((a) => [a.title, a.confirm])).toEqual([
      ['Declare saltmarsh lost', true],
      ['Declare mill-street lost', true],
    ]);
    expect(meanwhile(wave(), { ...run, state: 'failed' })).toEqual([]);
  });
  it('measures a divergence before a side can be kept', () => {
    expect(actionsOf(wave({ verbs: ['reconcile'] })).map((a) => a.title)).toEqual(['Measure the divergence']);
    const measured = wave({ verbs: ['reconcile'], divergence: { commonPoint: '', home: '', homeBytes: 1, away: '', awayBytes: 1, overlapSeconds: null } });
    expect(actionsOf(measured).map((a) => a.title)).toEqual(['Keep saltmarsh', 'Keep mill-street', 'Measure the divergence']);
  });
  it('does not press once the machines have landed', () => {
    expect(pressing(wave())).toBe(true);
    expect(pressing(wave({ state: 'landed' }))).toBe(false);
  });
});

describe('the dialog of an action', () => {
  const cutover: Action = { verb: 'cutover', title: 'Cutover', explain: 'They are stopped.', confirm: true, ask: vi.fn() };
  const button = () => screen.getByRole<HTMLButtonElement>('button', { name: 'Cutover' });

  it('runs only when the name is typed', async () => {
    const run = vi.fn().mockResolvedValue(null);
    const close = vi.fn();
    render(<ActionDialog wave="lending" action={cutover} onRun={run} onClose={close} />);
    expect(button().disabled).toBe(true);
    fireEvent.change(screen.getByRole('textbox'), { target: { value: 'lendin' } });
    expect(button().disabled).toBe(true);
    fireEvent.change(screen.getByRole('textbox'), { target: { value: 'lending' } });
    fireEvent.click(button());
    await waitFor(() => expect(close).toHaveBeenCalled());
    expect(run).toHaveBeenCalledWith('lending');
  });
  it('stays and says why when it is refused', async () => {
    const refused = new ApiProblem({ type: 'about:blank', title: '', status: 409, code: 'gate-shut', detail: "gate 'proven' is shut", remedy: { advice: 'test it', action: '', arguments: [] } });
    render(<ActionDialog wave="lending" action={{ ...cutover, confirm: false }} onRun={vi.fn().mockRejectedValue(refused)} onClose={vi.fn()} />);
    fireEvent.click(button());
    expect((await screen.findByRole('alert')).textContent).toContain("gate 'proven' is shut. Next: test it");
    expect(button().disabled).toBe(false);
  });
});

describe('a machine along the gates', () => {
  it('lies before the first gate that is shut, whatever is open further on', () => {
    const gates = member(3).gates.map((g, i) => (i === 5 ? { ...g, open: true } : g));
    expect(reached(gates)).toBe(3);
    expect(reached(member(8).gates)).toBe(8);
  });
  it('says each gate as a word, and is driven by the keyboard', () => {
    const choose = vi.fn();
    render(<Flight member={member(5)} chosen="" onChoose={choose} />);
    expect(screen.getByLabelText('in step: open')).toBeTruthy();
    const shut = screen.getByLabelText('proven: shut');
    fireEvent.keyDown(shut, { key: 'Enter' });
    expect(choose).toHaveBeenCalledWith('proven');
  });
});

describe('waves in a table', () => {
  const table = (...cards: ReturnType<typeof card>[]) =>
    render(
      <MemoryRouter>
        <WaveTable waves={cards} passed={3} next />
      </MemoryRouter>,
    );
  it('counts the exposure on and says whether the RPO is held', () => {
    table(card());
    expect(screen.getByText('15s of 1m, held')).toBeTruthy();
    expect(screen.getByRole('link', { name: 'Test cutover' }).getAttribute('href')).toBe('/waves/lending?do=test');
  });
  it('says over when it is over, in words too', () => {
    table(card({ exposureSeconds: 90 }));
    expect(screen.getByText('1m33s of 1m, over')).toBeTruthy();
  });
  it('says so where there is no point yet, and where a wave is closed', () => {
    table(card({ exposureSeconds: null }), card({ id: 'w2', name: 'kiosks', state: 'settled' }));
    expect(screen.getByText('no point yet')).toBeTruthy();
    expect(screen.getByText('closed')).toBeTruthy();
  });
  it('says what to do where there is none', () => {
    table();
    expect(screen.getByText(/bargelane wave add NAME/)).toBeTruthy();
  });
});

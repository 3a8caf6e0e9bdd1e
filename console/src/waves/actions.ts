import { answer, api, type Run, type Wave } from '../api';
import { shortDuration } from '../format';

/** Something that can be asked of a wave, with the words for its dialog. */
export interface Action {
  verb: string;
  title: string;
  explain: string;
  /** Whether the wave's name is to be typed, since machines in production change. */
  confirm: boolean;
  ask: (typed: string) => Promise<unknown>;
}

/** Whether the first action is the one that the wave waits for: once the machines have landed nothing presses. */
export function pressing(w: Wave): boolean {
  return w.state !== 'landed';
}

/** What the service offers for a wave as it stands, in its order, with the words for a dialog. */
export function actionsOf(w: Wave): Action[] {
  return w.verbs.flatMap((verb) => wording[verb]?.(w) ?? []);
}

/** What can be asked of a run that is not over. */
export function stopping(run: Run): Action {
  return {
    verb: 'stop',
    title: 'Stop',
    explain: `${run.title} ends at its next safe place and is backed out: what it made is removed, and machines that it stopped start again where they were.`,
    confirm: false,
    ask: () => answer(api.POST('/api/v1/runs/{run}/stop', { params: { path: { run: run.id } } })),
  };
}

/** What is offered while work on a wave runs: to stop it, or, where a back-out waits for a site, to say that the site is lost. */
export function meanwhile(w: Wave, run: Run): Action[] {
  if (run.state === 'backing out') {
    return [w.to, w.from].map((site) => ({
      verb: 'declare-lost',
      title: `Declare ${site} lost`,
      explain: `The run no longer waits for ${site}. Should ${site} come back, what was started there is stopped and fenced before anything else. If it still runs unseen, two copies run until then.`,
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/declare-lost', { params: of(w), body: { site, confirm } })),
    }));
  }
  return run.state === 'running' ? [stopping(run)] : [];
}

const of = (w: Wave) => ({ path: { wave: w.name } });

const keep = (w: Wave, site: string, other: string): Action => ({
  verb: 'reconcile',
  title: `Keep ${site}`,
  explain: `The machines run on at ${site}. What ${other} wrote since the common point is kept until the move is settled, and is not merged.`,
  confirm: true,
  ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/reconcile', { params: of(w), body: { keep: site, confirm } })),
});

const wording: Record<string, (w: Wave) => Action[]> = {
  load: (w) => [
    {
      verb: 'load',
      title: 'Load',
      explain: `A first full pass to ${w.to}, then passes every ${shortDuration(w.everySeconds)}. Production is only read.`,
      confirm: false,
      ask: () => answer(api.POST('/api/v1/waves/{wave}/load', { params: of(w) })),
    },
  ],
  test: (w) => [
    {
      verb: 'test',
      title: 'Test cutover',
      explain: 'Clones of the newest recovery point are started in an isolated network and probed; every trace is removed. Production and its passes go on.',
      confirm: false,
      ask: () => answer(api.POST('/api/v1/waves/{wave}/test', { params: of(w), body: {} })),
    },
  ],
  cutover: (w) => [
    {
      verb: 'cutover',
      title: 'Cutover',
      explain: `The machines are stopped and fenced at ${w.from}, the last changes shipped, and started at ${w.to} in rank order. It can be undone until settled.`,
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/cutover', { params: of(w), body: { confirm } })),
    },
  ],
  failback: (w) => [
    {
      verb: 'failback',
      title: 'Failback',
      explain: `The machines are stopped at ${w.to}, the last changes shipped, and started at ${w.from}. Only what changed crosses.`,
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/failback', { params: of(w), body: { confirm } })),
    },
  ],
  undo: (w) => [
    {
      verb: 'undo',
      title: 'Undo',
      explain: `The machines run again at ${w.leg?.to ?? w.from} as they were when they were stopped. What was written at ${w.leg?.from ?? w.to} since is given up.`,
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/undo', { params: of(w), body: { confirm } })),
    },
  ],
  failover: (w) => [
    {
      verb: 'failover',
      title: 'Failover',
      explain: `For when ${w.leg?.from ?? w.from} is lost: the newest recovery point is started at ${w.leg?.to ?? w.to}. If ${w.leg?.from ?? w.from} can't be reached you declare it lost.`,
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/failover', { params: of(w), body: { confirm, sourceLost: true } })),
    },
  ],
  reconcile: (w) => {
    const measure: Action = {
      verb: 'reconcile',
      title: 'Measure the divergence',
      explain: `The side that came back is stopped and fenced first. Then each side's changes since the common point are found. Nothing is given up.`,
      confirm: false,
      ask: () => answer(api.POST('/api/v1/waves/{wave}/reconcile', { params: of(w), body: {} })),
    };
    return w.divergence === null ? [measure] : [keep(w, w.to, w.from), keep(w, w.from, w.to), measure];
  },
  pause: (w) => [
    {
      verb: 'pause',
      title: 'Pause',
      explain: 'The timetable makes no passes until you resume. A pass that runs goes on. Markers track on, so that the next pass ships only what changed; the exposure grows meanwhile.',
      confirm: false,
      ask: () => answer(api.POST('/api/v1/waves/{wave}/pause', { params: of(w) })),
    },
  ],
  resume: (w) => [
    {
      verb: 'resume',
      title: 'Resume',
      explain: `Passes go on every ${shortDuration(w.everySeconds)}.`,
      confirm: false,
      ask: () => answer(api.POST('/api/v1/waves/{wave}/resume', { params: of(w) })),
    },
  ],
  settle: (w) => [
    {
      verb: 'settle',
      title: 'Settle',
      explain: 'Closes the move: replicas, recovery points and leftovers are removed on both sites. It can not be undone afterwards.',
      confirm: true,
      ask: (confirm) => answer(api.POST('/api/v1/waves/{wave}/settle', { params: of(w), body: { confirm } })),
    },
  ],
};

import type { Wave } from '../api';
import { shortDuration } from '../format';
import type { Action } from './ActionDialog';

/** Whether the first action is the one that the wave waits for: once the machines have landed nothing presses. */
export function pressing(w: Wave): boolean {
  return w.state !== 'landed';
}

/** What the service offers for a wave as it stands, in its order, with the words for a dialog. */
export function actionsOf(w: Wave): Action[] {
  return w.verbs.flatMap((verb) => wording[verb]?.(w) ?? []);
}

const act = (verb: string, title: string, explain: string, confirm = true, body: Record<string, unknown> = {}): Action => ({ verb, title, explain, confirm, body });

const keep = (site: string, other: string): Action =>
  act('reconcile', `Keep ${site}`, `The machines run on at ${site}. What ${other} wrote since the common point is kept until the move is settled, and is not merged.`, true, { keep: site });

const wording: Record<string, (w: Wave) => Action[]> = {
  load: (w) => [act('load', 'Load', `A first full pass to ${w.to}, then passes every ${shortDuration(w.everySeconds)}. Production is only read.`, false)],
  test: () => [act('test', 'Test cutover', 'Clones of the newest recovery point are started in an isolated network and probed; every trace is removed. Production and its passes go on.', false)],
  cutover: (w) => [act('cutover', 'Cutover', `The machines are stopped and fenced at ${w.from}, the last changes shipped, and started at ${w.to} in rank order. It can be undone until settled.`)],
  failback: (w) => [act('failback', 'Failback', `The machines are stopped at ${w.to}, the last changes shipped, and started at ${w.from}. Only what changed crosses.`)],
  undo: (w) => [
    act('undo', 'Undo', `The machines run again at ${w.leg?.to ?? w.from} as they were when they were stopped. What was written at ${w.leg?.from ?? w.to} since is given up.`),
  ],
  failover: (w) => [
    act('failover', 'Failover', `For when ${w.leg?.from ?? w.from} is lost: the newest recovery point is started at ${w.leg?.to ?? w.to}. If ${w.leg?.from ?? w.from} can't be reached you declare it lost.`, true, { sourceLost: true }),
  ],
  reconcile: (w) => {
    const measure = act('reconcile', 'Measure the divergence', `The side that came back is stopped and fenced first. Then each side's changes since the common point are found. Nothing is given up.`, false);
    return w.divergence === null ? [measure] : [keep(w.to, w.from), keep(w.from, w.to), measure];
  },
  settle: () => [act('settle', 'Settle', 'Closes the move: replicas, recovery points and leftovers are removed on both sites. It can not be undone afterwards.')],
};

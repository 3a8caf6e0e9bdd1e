import type { Wave } from '../api';
import type { Action } from './ActionDialog';

/** Whether the first action is the one that the wave waits for. */
export function pressing(w: Wave): boolean {
  return w.state === 'diverged' || w.leg === null || !w.machines.every((m) => m.stands === w.to);
}

/** What can be asked of a wave as it stands; the first is the one to do next, unless the machines have landed: then nothing presses. */
export function actionsOf(w: Wave): Action[] {
  if (w.state === 'settled' || w.running.length > 0) {
    return [];
  }
  const act = (verb: string, title: string, explain: string, confirm = true, body: Record<string, unknown> = {}): Action => ({ verb, title, explain, confirm, body });
  if (w.state === 'diverged') {
    const measure = act('reconcile', 'Measure the divergence', `The side that came back is stopped and fenced first. Then each side's changes since the common point are found. Nothing is given up.`, false);
    const keep = (site: string, other: string) =>
      act('reconcile', `Keep ${site}`, `The machines run on at ${site}. What ${other} wrote since the common point is kept until the move is settled, and is not merged.`, true, { keep: site });
    return w.divergence === null ? [measure] : [keep(w.to, w.from), keep(w.from, w.to), measure];
  }
  if (w.leg === null) {
    return [act('load', 'Load', `A first full pass to ${w.to}, then passes every ${w.everySeconds} s. Production is only read.`, false)];
  }
  const landed = w.machines.every((m) => m.stands === w.to);
  const test = act('test', 'Test cutover', 'Clones of the newest recovery point are started in an isolated network and probed; every trace is removed. Production and its passes go on.', false);
  const failover = act('failover', 'Failover', `For when ${w.leg.from} is lost: the newest recovery point is started at ${w.leg.to}. If ${w.leg.from} can't be reached you declare it lost.`, true, { sourceLost: true });
  const settle = act('settle', 'Settle', 'Closes the move: replicas, recovery points and leftovers are removed on both sites. It can not be undone afterwards.');
  if (landed) {
    return [
      act('failback', 'Failback', `The machines are stopped at ${w.to}, the last changes shipped, and started at ${w.from}. Only what changed crosses.`),
      act('undo', 'Undo', `The machines run again at ${w.from} as they were when they were stopped. What was written at ${w.to} since is given up.`),
      failover,
      settle,
    ];
  }
  const proven = w.machines.every((m) => m.gates.every((g) => g.gate !== 'proven' || g.open));
  const cutover = act('cutover', 'Cutover', `The machines are stopped and fenced at ${w.from}, the last changes shipped, and started at ${w.to} in rank order. It can be undone until settled.`);
  return [...(proven ? [cutover, test] : [test, cutover]), failover, settle];
}

import type { Member, Wave, WaveCard } from './api';

/** Wire records for tests, with what a test does not care about filled in. */
export function wave(change: Partial<Wave> = {}): Wave {
  return {
    id: 'wave-1', name: 'lending', lane: 'over', from: 'mill-street', to: 'saltmarsh', timetable: 'brisk', everySeconds: 15, rpoSeconds: 60, keepPoints: 6,
    state: 'replicating', machines: [], leg: { id: 'leg-1', number: 1, from: 'mill-street', to: 'saltmarsh', state: 'open', marker: '', commonPoint: '' },
    exposureSeconds: 4, newestAsOf: '2026-11-02T08:00:00Z', rpoHeld: true, lastPass: null, points: [], running: [], recent: [], nextAction: '', verbs: [], divergence: null,
    protectedNow: true, now: '2026-11-02T08:00:04Z', ...change,
  };
}

export function card(change: Partial<WaveCard> = {}): WaveCard {
  return {
    id: 'wave-1', name: 'lending', from: 'mill-street', to: 'saltmarsh', stands: 'mill-street', machines: 2, state: 'replicating', exposureSeconds: 12, rpoSeconds: 60,
    rpoHeld: true, protectedNow: true, nextAction: 'bargelane wave test lending', gates: {}, ...change,
  };
}

const GATES = ['found', 'sized', 'mapped', 'laden', 'in step', 'proven', 'landed', 'settled'];

/** A machine whose gates are open up to one. */
export function member(open: number, change: Partial<Member> = {}): Member {
  return {
    machine: 'm-1', name: 'lending-db', rank: 1, size: 'wherry-4', sizeBasis: 'by hand', monthly: null, currency: '', nics: [], storages: [], bytes: 0, stands: 'mill-street',
    gates: GATES.map((gate, i) => ({ gate, open: i < open, shutBy: i < open ? [] : [{ code: 'x', blocks: true, thing: 'lending-db', cause: `${gate} is shut`, remedy: 'mend it', who: 'engineer' }] })),
    notices: [], nextGate: GATES[open] ?? '', nextAction: '', ...change,
  };
}

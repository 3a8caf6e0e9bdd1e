import type { Member, Wave, WaveCard } from './api';

/** Wire records for tests, with what a test does not care about filled in. */
export function wave(change: Partial<Wave> = {}): Wave {
  return {
    id: 'wave-1', name: 'lending', lane: 'over', from: 'mill-street', to: 'saltmarsh', timetable: 'brisk', everySeconds: 15, rpoSeconds: 60, keepPoints: 6,
    state: 'replicating', machines: [], leg: { id: 'leg-1', number: 1, from: 'mill-street', to: 'saltmarsh', state: 'open', marker: '', commonPoint: '', scrubbedAt: null, scrubFound: '' },
    exposureSeconds: 4, newestAsOf: '2026-11-02T08:00:00Z', rpoHeld: true, lastPass: null, points: [], running: [], recent: [], nextAction: { advice: '', action: '', arguments: [] }, verbs: [], divergence: null,
    protectedNow: true, now: '2026-11-02T08:00:04Z', ...change,
  };
}

export function card(change: Partial<WaveCard> = {}): WaveCard {
  return {
    id: 'wave-1', name: 'lending', from: 'mill-street', to: 'saltmarsh', stands: 'mill-street', machines: 2, state: 'replicating', exposureSeconds: 12, rpoSeconds: 60,
    rpoHeld: true, protectedNow: true, nextAction: { advice: '', action: 'wave-test', arguments: ['lending'] }, gates: {}, ...change,
  };
}

const GATES = ['found', 'sized', 'mapped', 'laden', 'in step', 'proven', 'landed', 'settled'];

/** A machine whose gates are open up to one. */
export function member(open: number, change: Partial<Member> = {}): Member {
  return {
    machine: 'm-1', name: 'lending-db', rank: 1, size: 'wherry-4', sizeBasis: 'by hand', monthly: null, currency: '', nics: [], storages: [], bytes: 0, stands: 'mill-street',
    gates: GATES.map((gate, i) => ({ gate, open: i < open, shutBy: i < open ? [] : [{ code: 'x', blocks: true, thing: 'lending-db', cause: `${gate} is shut`, remedy: { advice: 'mend it', action: '', arguments: [] }, who: 'engineer' }] })),
    notices: [], nextGate: GATES[open] ?? '', nextAction: { advice: '', action: '', arguments: [] }, ...change,
  };
}

/** What the service answers in a test, by method and path; and what was asked of it. */
export function service(answers: Record<string, unknown>) {
  const asked: { method: string; path: string; body: unknown; csrf: string | null }[] = [];
  const fetching = async (input: RequestInfo | URL, init?: RequestInit) => {
    const request = input instanceof Request ? input : new Request(input, init);
    const url = new URL(request.url);
    const text = await request.text();
    asked.push({ method: request.method, path: url.pathname.replace('/api/v1', '') + url.search, body: text === '' ? undefined : JSON.parse(text), csrf: request.headers.get('X-CSRF') });
    const found = answers[`${request.method} ${url.pathname.replace('/api/v1', '')}`];
    const told = typeof found === 'function' ? await (found as () => unknown)() : found;
    if (told instanceof Error) {
      throw told;
    }
    if (told instanceof Response) {
      return told.clone();
    }
    return told === undefined
      ? new Response(JSON.stringify({ type: 'about:blank', title: 'not found', status: 404, code: 'path-unknown', detail: `nothing at ${url.pathname}`, remedy: { advice: '', action: '', arguments: [] } }), { status: 404 })
      : new Response(JSON.stringify(told), { status: 200, headers: { 'Content-Type': 'application/json' } });
  };
  return { asked, fetching };
}

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

/** What is read again after an event of a kind: the first words of the keys of queries. What a page keeps under another key only changes when somebody asks. */
const MOVES = ['overview', 'waves', 'wave', 'passes', 'runs', 'points', 'refits'];
const CONCERNS: Record<string, string[]> = {
  progress: ['overview', 'wave', 'passes'],
  pass: ['overview', 'waves', 'wave', 'passes', 'points'],
  point: ['overview', 'waves', 'wave', 'passes', 'points'],
  console: ['consoles'],
  scrub: ['overview', 'wave', 'runs'],
  step: ['overview', 'wave', 'runs', 'consoles', 'scans', 'nodes'],
  service: ['overview', 'nodes'],
  run: [...MOVES, 'links', 'nodes', 'consoles', 'dossiers', 'scans', 'sites', 'site', 'machines', 'machine', 'changes', 'usage', 'connections', 'facts', 'surveys', 'servers', 'agents'],
  proven: MOVES,
  landed: [...MOVES, 'dossiers'],
  settled: [...MOVES, 'dossiers'],
  wave: [...MOVES, 'machines', 'machine'],
  refit: ['wave', 'refits'],
  lane: ['lanes', 'links', 'overview', 'waves', 'wave'],
  site: ['overview', 'sites', 'site', 'scans', 'credentials', 'servers', 'agents', 'tugs', 'machines', 'machine', 'changes', 'connections', 'usage', 'facts', 'surveys', 'lanes'],
  machine: ['overview', 'machines', 'machine', 'label-rules', 'usage', 'facts', 'surveys', 'connections', 'changes'],
  assessment: ['overview', 'assessments', 'assessment', 'assessed', 'assessed-machine', 'machine-assessments', 'comparison', 'price-books', 'fitness-rules', 'wave', 'waves'],
};
const GATHER_MS = 120;
const RETRY_MS = 3000;

/**
 * Reads the service's events and has what they concern read again, what comes close together once. The browser goes
 * on after the last event it saw when the connection was cut. Gives since when the stream is cut off; nothing while it is open.
 */
export function useLive(): Date | undefined {
  const client = useQueryClient();
  const [cut, setCut] = useState<Date>();
  useEffect(() => {
    let stream: EventSource;
    let retry: number | undefined;
    let due: number | undefined;
    let reading = false;
    let ended = false;
    let everything = false;
    const concerned = new Set<string>();
    // Events that come more often than pages can be read are gathered until these are: begun anew each time, none would ever be shown.
    const later = () => {
      if (reading || ended) {
        return;
      }
      due ??= window.setTimeout(() => {
        due = undefined;
        reading = true;
        const all = everything;
        const keys = new Set(concerned);
        everything = false;
        concerned.clear();
        void client.invalidateQueries({ predicate: (query) => all || keys.has(String(query.queryKey[0])) }).finally(() => {
          reading = false;
          if (everything || concerned.size > 0) {
            later();
          }
        });
      }, GATHER_MS);
    };
    const begin = () => {
      stream = new EventSource('/api/v1/events/stream');
      Object.entries(CONCERNS).forEach(([kind, keys]) =>
        stream.addEventListener(kind, () => {
          keys.forEach((key) => concerned.add(key));
          later();
        }),
      );
      stream.onopen = () => {
        setCut(undefined);
        // What was asked over the former connection may never be answered.
        reading = false;
        everything = true;
        later();
      };
      stream.onerror = () => {
        setCut((since) => since ?? new Date());
        // The browser goes on by itself after a cut, and not after a refusal: while the database is away, or the session has ended.
        if (stream.readyState === EventSource.CLOSED) {
          void client.invalidateQueries({ queryKey: ['me'] });
          window.clearTimeout(retry);
          retry = window.setTimeout(begin, RETRY_MS);
        }
      };
    };
    begin();
    return () => {
      ended = true;
      window.clearTimeout(retry);
      window.clearTimeout(due);
      stream.close();
    };
  }, [client]);
  return cut;
}

/** The service's time, going on by itself once a second between two readings. */
export function useNow(reading: string): number {
  const [passed, setPassed] = useState({ reading, since: performance.now(), now: Date.parse(reading) });
  useEffect(() => {
    const since = performance.now();
    const base = Date.parse(reading);
    const tick = () => setPassed({ reading, since, now: base + performance.now() - since });
    tick();
    const timer = window.setInterval(tick, 1000);
    return () => window.clearInterval(timer);
  }, [reading]);
  return passed.now;
}

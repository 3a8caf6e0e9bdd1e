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
  step: ['overview', 'wave', 'runs', 'consoles', 'scans'],
  run: [...MOVES, 'consoles', 'dossiers', 'scans', 'sites', 'site', 'machines', 'machine', 'changes', 'usage', 'connections', 'facts', 'surveys', 'servers', 'agents'],
  proven: MOVES,
  landed: [...MOVES, 'dossiers'],
  settled: [...MOVES, 'dossiers'],
  wave: [...MOVES, 'machines', 'machine'],
  refit: ['wave', 'refits'],
  lane: ['lanes', 'overview', 'waves', 'wave'],
  site: ['overview', 'sites', 'site', 'scans', 'credentials', 'servers', 'agents', 'tugs', 'machines', 'machine', 'changes', 'connections', 'usage', 'facts', 'surveys', 'lanes'],
  machine: ['overview', 'machines', 'machine', 'label-rules', 'usage', 'facts', 'surveys', 'connections', 'changes'],
  assessment: ['overview', 'assessments', 'assessment', 'assessed', 'assessed-machine', 'machine-assessments', 'comparison', 'price-books', 'fitness-rules', 'wave', 'waves'],
};
const GATHER_MS = 120;

/**
 * Reads the service's events and has what they concern read again, what comes close together once. The browser goes
 * on after the last event it saw when the connection was cut. Gives whether the stream is open.
 */
export function useLive(): boolean {
  const client = useQueryClient();
  const [open, setOpen] = useState(true);
  useEffect(() => {
    const stream = new EventSource('/api/v1/events/stream');
    let due: number | undefined;
    let everything = false;
    const concerned = new Set<string>();
    const later = () => {
      due ??= window.setTimeout(() => {
        due = undefined;
        const all = everything;
        const keys = new Set(concerned);
        everything = false;
        concerned.clear();
        void client.invalidateQueries({ predicate: (query) => all || keys.has(String(query.queryKey[0])) });
      }, GATHER_MS);
    };
    Object.entries(CONCERNS).forEach(([kind, keys]) =>
      stream.addEventListener(kind, () => {
        keys.forEach((key) => concerned.add(key));
        later();
      }),
    );
    stream.onopen = () => {
      setOpen(true);
      everything = true;
      later();
    };
    stream.onerror = () => setOpen(false);
    return () => {
      window.clearTimeout(due);
      stream.close();
    };
  }, [client]);
  return open;
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

import { useQueryClient } from '@tanstack/react-query';
import { useEffect, useState } from 'react';

const KINDS = ['run', 'step', 'pass', 'progress', 'point', 'proven', 'landed', 'settled', 'site', 'wave', 'refit', 'machine', 'assessment'];
/** After these, what only a scan or a person changes is read again too (queries whose meta says scanned). */
const SCANNED = ['run', 'site', 'machine', 'assessment'];
const GATHER_MS = 120;

/**
 * Reads the service's events and has every page's data read again when something happened. The browser goes
 * on after the last event it saw when the connection was cut. Gives whether the stream is open.
 */
export function useLive(): boolean {
  const client = useQueryClient();
  const [open, setOpen] = useState(true);
  useEffect(() => {
    const stream = new EventSource('/api/v1/events/stream');
    let due: number | undefined;
    let scanned = true;
    const refresh = (event?: globalThis.Event) => {
      scanned ||= event === undefined || SCANNED.includes(event.type);
      due ??= window.setTimeout(() => {
        due = undefined;
        const all = scanned;
        scanned = false;
        void client.invalidateQueries({ predicate: (query) => all || query.meta?.scanned !== true });
      }, GATHER_MS);
    };
    KINDS.forEach((kind) => stream.addEventListener(kind, refresh));
    stream.onopen = () => {
      setOpen(true);
      refresh();
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

/** Binary units, three digits, without zeros at the end of a fraction: 8GiB, 1.5KiB. */
export function size(bytes: number): string {
  const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB', 'PiB'];
  let value = bytes;
  let unit = 0;
  while (value >= 1024 && unit < units.length - 1) {
    value /= 1024;
    unit++;
  }
  const fraction = unit === 0 || value >= 100 ? 0 : value < 10 ? 2 : 1;
  return `${Number(value.toFixed(fraction))}${units[unit]}`;
}

/** A length of time as people write it, in its two largest units: 45s, 1h30m, 7d. */
export function shortDuration(seconds: number): string {
  const whole = Math.round(seconds);
  const parts = [
    [Math.floor(whole / 86400), 'd'],
    [Math.floor(whole / 3600) % 24, 'h'],
    [Math.floor(whole / 60) % 60, 'm'],
    [whole % 60, 's'],
  ] as const;
  const first = parts.findIndex(([n]) => n > 0);
  return first < 0
    ? '0s'
    : parts
        .slice(first, first + 2)
        .filter(([n]) => n > 0)
        .map(([n, unit]) => `${n}${unit}`)
        .join('');
}

/** Seconds of a length of time as people write it, whole units from the largest to the smallest; undefined if it is none. */
export function secondsOf(text: string): number | undefined {
  const parts = /^(?:(\d{1,5})d)?(?:(\d{1,6})h)?(?:(\d{1,7})m)?(?:(\d{1,9})s)?$/.exec(text.trim());
  if (parts === null || text.trim() === '') {
    return undefined;
  }
  const [d, h, m, s] = parts.slice(1).map((n: string | undefined) => Number(n ?? 0));
  return ((d * 24 + h) * 60 + m) * 60 + s;
}

/** A length of time that is still going: tenths below ten seconds. */
export function duration(seconds: number): string {
  return seconds < 9.95 ? `${seconds.toFixed(1)}s` : shortDuration(seconds);
}


const STEPS = [1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200, 86400];

/** Places of an axis's ticks, in seconds: at most six whole steps that people count time in. */
export function ticksOfTime(max: number): number[] {
  const step = STEPS.find((s) => max / s <= 5) ?? Math.ceil(max / 5 / 86400) * 86400;
  return Array.from({ length: Math.floor(max / step) + 1 }, (_, i) => i * step);
}

/** Time of day in the reader's zone. */
export function clock(instant: string): string {
  return new Date(instant).toLocaleTimeString(undefined, { hour12: false });
}

/** Day and time in the reader's zone. */
export function moment(instant: string): string {
  return new Date(instant).toLocaleString(undefined, { hour12: false });
}

/** Seconds between two instants. */
export function between(from: string, to: string): number {
  return (Date.parse(to) - Date.parse(from)) / 1000;
}

export interface ExposureSample { at: number; exposure: number; point: number | null }

/**
 * The exposure over time from passes that ended in a point: it rises by a second a second and falls, when a
 * point is recorded, to the age of that point.
 */
export function exposureHistory(passes: { asOf: string | null; endedAt: string | null; number: number }[], now: string): ExposureSample[] {
  const ended = passes
    .filter((p): p is { asOf: string; endedAt: string; number: number } => p.asOf !== null && p.endedAt !== null)
    .sort((a, b) => Date.parse(a.endedAt) - Date.parse(b.endedAt));
  const samples: ExposureSample[] = [];
  ended.forEach((p, i) => {
    const at = Date.parse(p.endedAt);
    if (i > 0) {
      samples.push({ at: at - 1, exposure: between(ended[i - 1].asOf, p.endedAt), point: null });
    }
    samples.push({ at, exposure: between(p.asOf, p.endedAt), point: p.number });
  });
  const last = ended[ended.length - 1];
  if (last !== undefined) {
    samples.push({ at: Date.parse(now), exposure: between(last.asOf, now), point: null });
  }
  return samples;
}

/** A measured value with its unit. */
export function figure(value: number, unit: string): string {
  switch (unit) {
    case 'bytes':
      return size(Math.round(value));
    case 'bytes/s':
      return `${size(Math.round(value))}/s`;
    default: {
      const digits = value < 10 ? value.toFixed(2) : value.toFixed(0);
      return unit === 'processors' ? `${digits} CPU` : `${digits}${unit}`;
    }
  }
}

interface Peer { address: string; machineId: string | null; machine: string | null }

export interface PortMark { port: number; bytes: number; direction: 'out' | 'in' | 'both' }
export interface PortPeer { id: string | null; label: string; bytes: number; marks: PortMark[] }

/**
 * Who is at the other end of a machine's connections, and on which ports: those with most bytes, once each. The
 * direction is the machine's: out where it calls.
 */
export function portGrid(connections: { client: Peer; server: Peer; port: number; bytes: number }[], machine: string, rows: number, columns: number): { peers: PortPeer[]; ports: number[]; hidden: number } {
  const peers = new Map<string, { id: string | null; bytes: number; marks: Map<number, PortMark> }>();
  const ports = new Map<number, number>();
  for (const c of connections) {
    const out = c.client.machineId === machine;
    const peer = out ? c.server : c.client;
    if (peer.machineId === machine) {
      continue;
    }
    const label = peer.machine ?? peer.address;
    const known = peers.get(label) ?? { id: peer.machineId, bytes: 0, marks: new Map<number, PortMark>() };
    const direction = out ? 'out' : 'in';
    const mark = known.marks.get(c.port) ?? { port: c.port, bytes: 0, direction };
    known.marks.set(c.port, { port: c.port, bytes: mark.bytes + c.bytes, direction: mark.direction === direction ? direction : 'both' });
    known.bytes += c.bytes;
    peers.set(label, known);
    ports.set(c.port, (ports.get(c.port) ?? 0) + c.bytes);
  }
  const shown = [...ports.entries()]
    .sort((a, b) => b[1] - a[1])
    .slice(0, columns)
    .map(([port]) => port)
    .sort((a, b) => a - b);
  const all = [...peers.entries()]
    .map(([label, p]) => ({ id: p.id, label, bytes: p.bytes, marks: [...p.marks.values()].filter((m) => shown.includes(m.port)) }))
    .sort((a, b) => b.bytes - a.bytes);
  const drawn = all.filter((p) => p.marks.length > 0).slice(0, rows);
  return { peers: drawn, ports: shown, hidden: all.length - drawn.length };
}

/** Rows as comma-separated values (RFC 4180). */
export function csv(rows: (string | number)[][]): string {
  const cell = (value: string | number) => (/[",\r\n]/.test(String(value)) ? `"${String(value).replaceAll('"', '""')}"` : String(value));
  return rows.map((row) => row.map(cell).join(',') + '\r\n').join('');
}

/** Hands a text to whoever reads the page, as a file. */
export function saved(name: string, text: string, type = 'text/csv'): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** An amount of money with its cents; a dash where there is none. */
export function money(amount: number | null): string {
  return amount === null ? '–' : amount.toLocaleString('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
}

/** How many machines have a verdict, in words. */
export function verdictCount(verdict: string, machines: number): string {
  const one = machines === 1;
  switch (verdict) {
    case 'goes':
      return `${machines} ${one ? 'goes' : 'go'}`;
    case 'goes after':
      return `${machines} ${one ? 'goes' : 'go'} after a fix`;
    case 'stays':
      return `${machines} ${one ? 'stays' : 'stay'}`;
    default:
      return `${machines} ${verdict}`;
  }
}

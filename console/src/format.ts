/** Binary units, three digits. */
export function size(bytes: number): string {
  const units = ['B', 'KiB', 'MiB', 'GiB', 'TiB'];
  let value = bytes;
  let unit = 0;
  while (value >= 1024 && unit < units.length - 1) {
    value /= 1024;
    unit++;
  }
  if (unit === 0) {
    return `${bytes} B`;
  }
  return `${value < 10 ? value.toFixed(2) : value < 100 ? value.toFixed(1) : value.toFixed(0)} ${units[unit]}`;
}

/** A length of time for people: seconds below two minutes, then minutes, then hours. */
export function duration(seconds: number): string {
  if (seconds < 10) {
    return `${seconds.toFixed(1)} s`;
  }
  if (seconds < 120) {
    return `${Math.round(seconds)} s`;
  }
  const minutes = Math.floor(seconds / 60);
  if (minutes < 120) {
    return `${minutes} min ${Math.round(seconds % 60)} s`;
  }
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
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

export interface Neighbour { id: string | null; label: string; ports: string; bytes: number }

/** Those at the other end of a machine's connections, once each, the most bytes first. */
export function neighbours(connections: { client: Peer; server: Peer; port: number; bytes: number }[], machine: string, side: 'client' | 'server'): Neighbour[] {
  const found = new Map<string, { id: string | null; ports: Set<number>; bytes: number }>();
  const own = side === 'client' ? 'server' : 'client';
  connections
    .filter((c) => c[own].machineId === machine && c[side].machineId !== machine)
    .forEach((c) => {
      const label = c[side].machine ?? c[side].address;
      const known = found.get(label) ?? { id: c[side].machineId, ports: new Set<number>(), bytes: 0 };
      known.ports.add(c.port);
      known.bytes += c.bytes;
      found.set(label, known);
    });
  return [...found.entries()]
    .map(([label, n]) => ({ id: n.id, label, ports: [...n.ports].sort((a, b) => a - b).join(' '), bytes: n.bytes }))
    .sort((a, b) => b.bytes - a.bytes);
}

/** Rows as comma-separated values (RFC 4180). */
export function csv(rows: (string | number)[][]): string {
  const cell = (value: string | number) => (/[",\r\n]/.test(String(value)) ? `"${String(value).replaceAll('"', '""')}"` : String(value));
  return rows.map((row) => row.map(cell).join(',') + '\r\n').join('');
}

/** An amount of money with its cents; a dash where there is none. */
export function money(amount: number | null): string {
  return amount === null ? '–' : amount.toLocaleString('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 });
}

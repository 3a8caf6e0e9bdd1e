import { describe, expect, it } from 'vitest';
import { csv, duration, exposureHistory, figure, neighbours, size, shortDuration, ticksOfTime } from './format';

describe('size', () => {
  it('uses binary units with three digits', () => {
    expect(size(0)).toBe('0 B');
    expect(size(1023)).toBe('1023 B');
    expect(size(1536)).toBe('1.50 KiB');
    expect(size(225_337_344)).toBe('215 MiB');
  });
});

describe('duration', () => {
  it('tells seconds, then minutes, then hours', () => {
    expect(duration(1.804)).toBe('1.8 s');
    expect(duration(61)).toBe('61 s');
    expect(duration(125)).toBe('2 min 5 s');
    expect(duration(7260)).toBe('2 h 1 min');
  });
});

describe('exposureHistory', () => {
  it('rises between points and falls to the age of the new point, not to zero', () => {
    const at = (s: number) => new Date(1_000_000 + s * 1000).toISOString();
    const history = exposureHistory(
      [
        { number: 2, asOf: at(15), endedAt: at(17) },
        { number: 1, asOf: at(0), endedAt: at(3) },
        { number: 3, asOf: at(30), endedAt: null },
      ],
      at(20),
    );
    expect(history.map((s) => Math.round(s.exposure))).toEqual([3, 17, 2, 5]);
    expect(history.map((s) => s.point)).toEqual([1, null, 2, null]);
  });

  it('is empty without a point', () => {
    expect(exposureHistory([], new Date(0).toISOString())).toEqual([]);
  });
});

describe('neighbours', () => {
  it('gathers the other ends of a machine, the most bytes first', () => {
    const end = (address: string, machineId: string | null) => ({ address, machineId, machine: machineId });
    const db = end('10.20.8.21', 'db');
    const app = end('10.20.1.31', 'app');
    const seen = [
      { client: app, server: db, port: 5432, bytes: 10 },
      { client: app, server: db, port: 22, bytes: 5 },
      { client: end('198.51.100.9', null), server: db, port: 5432, bytes: 100 },
      { client: db, server: app, port: 445, bytes: 1 },
      { client: db, server: db, port: 1, bytes: 1 },
    ];
    expect(neighbours(seen, 'db', 'client')).toEqual([
      { id: null, label: '198.51.100.9', ports: '5432', bytes: 100 },
      { id: 'app', label: 'app', ports: '22 5432', bytes: 15 },
    ]);
    expect(neighbours(seen, 'db', 'server')).toEqual([{ id: 'app', label: 'app', ports: '445', bytes: 1 }]);
  });
});

describe('figure', () => {
  it('tells a value in its unit', () => {
    expect(figure(1.234, 'processors')).toBe('1.23 CPU');
    expect(figure(1536, 'bytes/s')).toBe('1.50 KiB/s');
    expect(figure(120.4, '/s')).toBe('120/s');
  });
});

describe('csv', () => {
  it('quotes what RFC 4180 wants quoted', () => {
    expect(csv([['a', 1], ['b "c"', 'd,e'], ['f\ng', '']])).toBe('a,1\r\n"b ""c""","d,e"\r\n"f\ng",\r\n');
  });
});

describe('time on an axis', () => {
  it('is written as people write it', () => {
    expect([0, 15, 60, 90, 3600, 5400, 86400, 604800, 90061].map(shortDuration)).toEqual(['0s', '15s', '1m', '1m30s', '1h', '1h30m', '1d', '7d', '1d1h']);
  });
  it('has few ticks, at whole steps, whatever its length', () => {
    expect(ticksOfTime(69)).toEqual([0, 15, 30, 45, 60]);
    expect(ticksOfTime(7200)).toEqual([0, 1800, 3600, 5400, 7200]);
    for (let max = 1; max < 10_000_000; max = Math.ceil(max * 1.3)) {
      const ticks = ticksOfTime(max);
      expect(ticks.length).toBeLessThanOrEqual(6);
      expect(ticks.length).toBeGreaterThanOrEqual(max < 2 ? 2 : 2);
      expect(ticks[ticks.length - 1]).toBeLessThanOrEqual(max);
    }
  });
});

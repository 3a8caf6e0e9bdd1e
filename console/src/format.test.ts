import { describe, expect, it } from 'vitest';
import { csv, duration, exposureHistory, figure, portGrid, secondsOf, size, shortDuration, ticksOfTime, verdictCount } from './format';

describe('size', () => {
  it('uses binary units with three digits', () => {
    expect(size(0)).toBe('0B');
    expect(size(1023)).toBe('1023B');
    expect(size(1536)).toBe('1.5KiB');
    expect(size(225_337_344)).toBe('215MiB');
  });
});

describe('duration', () => {
  it('tells seconds, then minutes, then hours', () => {
    expect(duration(1.804)).toBe('1.8s');
    expect(duration(61)).toBe('1m1s');
    expect(duration(125)).toBe('2m5s');
    expect(duration(7260)).toBe('2h1m');
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

describe('the port grid', () => {
  const end = (id: string | null, address = '') => ({ machineId: id, machine: id, address });
  const seen = [
    { client: end('app'), server: end('db'), port: 5432, bytes: 900 },
    { client: end('app'), server: end('db'), port: 5432, bytes: 100 },
    { client: end('db'), server: end('app'), port: 445, bytes: 1 },
    { client: end('app'), server: end('db'), port: 445, bytes: 2 },
    { client: end(null, '203.0.113.9'), server: end('db'), port: 22, bytes: 40 },
    { client: end('db'), server: end('db'), port: 9, bytes: 7000 },
  ];
  it('has a row a peer and a column a port, the most bytes first', () => {
    const grid = portGrid(seen, 'db', 10, 10);
    expect(grid.ports).toEqual([22, 445, 5432]);
    expect(grid.peers.map((p) => [p.label, p.bytes])).toEqual([
      ['app', 1003],
      ['203.0.113.9', 40],
    ]);
  });
  it('tells by the mark which way a port is used', () => {
    expect(portGrid(seen, 'db', 10, 10).peers[0].marks).toEqual([
      { port: 5432, bytes: 1000, direction: 'in' },
      { port: 445, bytes: 3, direction: 'both' },
    ]);
    expect(portGrid(seen, 'app', 10, 10).peers[0].marks[0].direction).toBe('out');
  });
  it('counts what it does not draw', () => {
    expect(portGrid(seen, 'db', 1, 10).hidden).toBe(1);
    expect(portGrid(seen, 'db', 10, 1)).toMatchObject({ ports: [5432], hidden: 1 });
    expect(portGrid([], 'db', 10, 10)).toEqual({ peers: [], ports: [], hidden: 0 });
  });
});

describe('verdicts in words', () => {
  it('agree with their number', () => {
    expect([verdictCount('goes', 24), verdictCount('goes after', 12), verdictCount('goes after', 1), verdictCount('stays', 1), verdictCount('stays', 0)]).toEqual(['24 go', '12 go after a fix', '1 goes after a fix', '1 stays', '0 stay']);
  });
});

describe('figure', () => {
  it('tells a value in its unit', () => {
    expect(figure(1.234, 'processors')).toBe('1.23 CPU');
    expect(figure(1536, 'bytes/s')).toBe('1.5KiB/s');
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
  it('is read as people write it', () => {
    expect(['15s', '1m30s', '1h', '7d', '1d1h', ' 90s '].map(secondsOf)).toEqual([15, 90, 3600, 604800, 90000, 90]);
    expect(['', '5', 'm', '5m5', '1s1m', '-5m', '5 m', '1.5h'].map(secondsOf)).toEqual(Array(8).fill(undefined));
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

// @vitest-environment jsdom
import { QueryClientProvider, useQuery } from '@tanstack/react-query';
import { act, cleanup, render, screen } from '@testing-library/react';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import { useLive } from './live';
import { Reading } from './reading';

/** The stream of events, as a test tells it. */
class Stream {
  static last: Stream;
  readonly heard = new Map<string, () => void>();
  onopen = () => {};
  constructor() {
    Stream.last = this;
  }
  addEventListener(kind: string, of: () => void) {
    this.heard.set(kind, of);
  }
  close() {}
}

/** Answers that are given when the test says so, and with what it says. */
function machines() {
  const open: ((text: string) => void)[] = [];
  const reading = vi.fn(() => new Promise<string>((resolve) => open.push(resolve)));
  const client = new Reading();
  const Shown = () => {
    useLive();
    return <p>{useQuery({ queryKey: ['machines'], queryFn: reading }).data ?? 'nothing'}</p>;
  };
  render(
    <QueryClientProvider client={client}>
      <Shown />
    </QueryClientProvider>,
  );
  return { client, reading, answer: (number: number, text: string) => act(async () => open[number](text)) };
}

const pass = (ms: number) => act(() => vi.advanceTimersByTimeAsync(ms));

beforeEach(() => {
  vi.useFakeTimers();
  vi.stubGlobal('EventSource', Stream);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
  vi.useRealTimers();
});

describe('a change', () => {
  it('is shown by a page that is being read for the first time', async () => {
    const { client, reading, answer } = machines();
    void client.invalidateQueries();
    await answer(0, 'as before');
    expect(reading).toHaveBeenCalledTimes(2);
    await answer(1, 'as it is now');
    await pass(0);
    expect(screen.getByText('as it is now')).toBeTruthy();
  });

  it('is shown though events come more often than a page is read', async () => {
    const { reading, answer } = machines();
    await answer(0, 'as before');
    for (let i = 0; i < 20; i++) {
      Stream.last.heard.get('machine')?.();
      await pass(100);
    }
    expect(reading).toHaveBeenCalledTimes(2);
    await answer(1, 'as it was');
    await pass(200);
    expect(screen.getByText('as it was')).toBeTruthy();
    // What came meanwhile is read then, once.
    expect(reading).toHaveBeenCalledTimes(3);
    await answer(2, 'as it is now');
    await pass(200);
    expect(screen.getByText('as it is now')).toBeTruthy();
    expect(reading).toHaveBeenCalledTimes(3);
  });

  it('is read after the stream was cut, whatever the former connection still owes', async () => {
    const { reading, answer } = machines();
    await answer(0, 'as before');
    Stream.last.heard.get('machine')?.();
    await pass(200);
    await act(async () => Stream.last.onopen());
    await pass(200);
    expect(reading).toHaveBeenCalledTimes(3);
    await answer(2, 'as it is now');
    await pass(0);
    expect(screen.getByText('as it is now')).toBeTruthy();
  });
});

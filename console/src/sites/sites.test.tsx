// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { afterEach, expect, it, vi } from 'vitest';
import { service } from '../testing';
import { EstateFile } from './EstateFile';
import { Leftovers } from './Leftovers';

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

it('lists what is of ours, and removes only what nobody keeps, when the site is named', async () => {
  const { asked, fetching } = service({
    'GET /sites/saltmarsh/leftovers': [
      { site: 'saltmarsh', kind: 'volume', name: 'bl-kept', owner: 'tow-1', recorded: true },
      { site: 'saltmarsh', kind: 'point', name: 'bl-stray', owner: 'tow-9', recorded: false },
    ],
    'POST /sites/saltmarsh/leftovers/removal': [{ kind: 'point', name: 'bl-stray', owner: 'tow-9', problem: 'saltmarsh does not answer' }],
  });
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <Leftovers site="saltmarsh" />
    </QueryClientProvider>,
  );
  expect(asked).toEqual([]);
  fireEvent.click(screen.getByRole('button', { name: 'Look for them' }));
  expect(await screen.findByText('bl-kept')).toBeTruthy();
  expect(screen.queryByLabelText('Remove bl-kept')).toBeNull();
  fireEvent.click(screen.getByLabelText('Remove bl-stray'));
  const go = screen.getByRole('button', { name: 'Remove it for good' }) as HTMLButtonElement;
  expect(go.disabled).toBe(true);
  fireEvent.change(screen.getByLabelText("Type the site's name: saltmarsh"), { target: { value: 'saltmarsh' } });
  fireEvent.click(go);
  expect(await screen.findByText('point bl-stray is still there: saltmarsh does not answer')).toBeTruthy();
  await waitFor(() => expect(asked.filter((a) => a.path === '/sites/saltmarsh/leftovers').length).toBe(2));
  expect(asked.find((a) => a.method === 'POST')?.body).toEqual({ confirm: 'saltmarsh', names: ['bl-stray'], owner: '' });
});

it('says what an estate file changes, lets a conflict be settled, and imports what was seen', async () => {
  const compared = {
    done: false,
    state: 'seen-1',
    base: 'base-1',
    baseKnown: true,
    changes: [],
    kept: [],
    conflicts: [{ path: 'timetables/often/rpo', whole: false, base: '1m', service: '2m', file: '5m', line: 7 }],
    problems: [],
  };
  const change = { path: 'timetables/often/rpo', before: '2m', after: '5m', line: 7 };
  let conflicts = true;
  const { asked, fetching } = service({
    'POST /estate/comparisons': () => (conflicts ? compared : { ...compared, conflicts: [], changes: [change] }),
    'POST /estate/imports': { ...compared, done: true, conflicts: [], changes: [change] },
  });
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <EstateFile />
    </QueryClientProvider>,
  );
  const text = 'format: bargelane/estate/1';
  const file = Object.assign(new File([text], 'estate.yaml'), { text: async () => text });
  fireEvent.change(screen.getByLabelText('Compare a file'), { target: { files: [file] } });
  expect(await screen.findByText(/Changed both in estate.yaml and by somebody else/)).toBeTruthy();
  expect(screen.queryByRole('button', { name: 'Import' })).toBeNull();
  conflicts = false;
  fireEvent.mouseDown(screen.getByRole('combobox'));
  fireEvent.click(await screen.findByText('the file counts'));
  fireEvent.click(await screen.findByRole('button', { name: 'Import' }));
  expect(await screen.findByText('1 change made')).toBeTruthy();
  expect(asked.find((a) => a.path === '/estate/imports')?.body).toEqual({ yaml: 'format: bargelane/estate/1', only: [], take: 'file', state: 'seen-1' });
});

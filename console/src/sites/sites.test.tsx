// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { afterEach, expect, it, vi } from 'vitest';
import { service } from '../testing';
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

// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, expect, it, vi } from 'vitest';
import { service } from '../testing';
import { LanesPage } from './LanesPage';

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const lane = {
  id: 'lane-1', name: 'over', from: 'mill-street', to: 'saltmarsh', networks: { 'net-data': 'sub-data' }, storages: {}, reverseNetworks: { 'sub-data': 'net-data' }, reverseStorages: {}, zone: '', keepAddresses: true, revision: 7,
  findings: [{ code: 'network-not-joined', blocks: true, thing: 'network staff', cause: 'network staff is joined to no subnet of saltmarsh', remedy: { advice: 'join it', action: '', arguments: [] }, who: 'engineer' }],
};
const staff = { kind: 'network', from: 'net-staff', fromName: 'staff', to: 'sub-staff', toName: 'staff', clear: true, reasons: ['both are called staff'], others: [] };
const shelf = { kind: 'storage', from: 'shelf-a', fromName: 'Shelf A', to: 'reed', toName: 'Reed', clear: true, reasons: ['both are of media ssd'], others: ['mud'] };
const rooms = { kind: 'network', from: 'net-rooms', fromName: 'rooms', to: 'sub-a', toName: 'a', clear: false, reasons: ['both have the range 10.0.0.0/24'], others: ['sub-b'] };

it('suggests joins with their reasons, and accepts one or all that are clear without losing what is joined', async () => {
  const { asked, fetching } = service({ 'GET /lanes': [lane], 'GET /lanes/lane-1/suggestions': [staff, shelf, rooms], 'PUT /lanes/lane-1': lane });
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter>
        <LanesPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  expect(await screen.findByText('both are of media ssd')).toBeTruthy();
  expect(screen.getByText('or sub-b')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Accept sub-a for net-rooms' }));
  await waitFor(() => expect(asked.filter((a) => a.method === 'PUT').length).toBe(1));
  expect(asked.find((a) => a.method === 'PUT')?.body).toEqual({ networks: { 'net-data': 'sub-data', 'net-rooms': 'sub-a' }, storages: {} });
  const all = screen.getByRole('button', { name: 'Accept all 2 that are clear' }) as HTMLButtonElement;
  await waitFor(() => expect(all.disabled).toBe(false));
  fireEvent.click(all);
  await waitFor(() => expect(asked.filter((a) => a.method === 'PUT').length).toBe(2));
  expect(asked.filter((a) => a.method === 'PUT')[1].body).toEqual({ networks: { 'net-data': 'sub-data', 'net-staff': 'sub-staff' }, storages: { 'shelf-a': 'reed' } });
});

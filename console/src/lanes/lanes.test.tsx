// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import { MemoryRouter, Route, Routes } from 'react-router';
import { afterEach, expect, it, vi } from 'vitest';
import type { Placed } from '../api';
import { service } from '../testing';
import { lines } from './exported';
import { LanePage } from './LanePage';
import { LanesPage } from './LanesPage';
import { named } from './Rules';

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
  const { asked, fetching } = service({ 'GET /lanes': [lane], 'GET /lanes/lane-1/shores': [], 'GET /lanes/lane-1/suggestions': [staff, shelf, rooms], 'PUT /lanes/lane-1': lane });
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

const placed: Placed = {
  id: 'm-1', machine: 'photo-web', wave: 'evening', name: 'photo', size: 'punt-2', zone: 'tide-1',
  cards: [{ card: 0, network: 'net-public', formerAddress: '10.20.4.31', subnet: 'sub-public', subnetFrom: 'the network', address: '10.20.4.9', kept: false, rule: 'choose', ruleFrom: 'label app=photo' }],
  disks: [{ disk: 0, volume: 'vm-1-system', bytes: 1 << 30, role: 'system', storage: 'shelf-b', to: 'mud', key: '', copied: true, carriedAs: '', from: 'the storage' }, { disk: 1, volume: 'vm-1-data', bytes: 1 << 30, role: 'data', storage: 'shelf-b', to: 'mud', key: 'tide-key', copied: true, carriedAs: '', from: 'the storage' }, { disk: 2, volume: 'vm-1-scans', bytes: 1 << 30, role: 'data', storage: 'shelf-b', to: '', key: '', copied: false, carriedAs: 'scans', from: 'the disk' }],
  decided: [{ setting: 'zone', value: 'tide-1', from: 'the lane' }],
  findings: [{ code: 'address-in-use', blocks: false, thing: 'photo-web', cause: '2 clients connect to it', remedy: { advice: 'have it changed at each of them', action: 'lane-clients', arguments: ['over'] }, who: 'engineer' }],
};
const settings = [
  { setting: 'class', scopes: ['disk', 'lane'], values: ['reed', 'mud'], form: 'one of the values' },
  { setting: 'address', scopes: ['card', 'lane'], values: ['keep', 'choose'], form: 'keep, choose, an address' },
];
const rules = [
  { scope: 'lane', of: '', name: '', part: -1, setting: 'address', value: 'keep-or-choose' },
  { scope: 'disk', of: 'm-1', name: 'photo-web', part: 0, setting: 'class', value: 'mud' },
];

const ingress = {
  id: 'm-1', machine: 'photo-web', wave: '', rules: 'tcp/445 from 10.60.0.0/22', from: '', proposed: 'tcp/445 from 10.61.0.0/22', unused: ['tcp/22 from any'], cut: 2, cutExamples: ['10.60.0.12 (to be 10.61.0.5) at tcp/445'],
  evidence: [{ rule: 'tcp/445 from 10.61.0.0/22', clients: 2, connections: 1800, present: false }],
};

const link = {
  measuredAt: '2026-12-02T02:10:53Z', there: 147_827_116, back: null, run: '',
  from: { site: 'mill-street', answers: 13_140, disks: 'connection', delay: 78, problem: '' },
  to: { site: 'saltmarsh', answers: null, disks: '10.60.0.9:10809', delay: null, problem: 'saltmarsh offers disks at 10.60.0.9:10809, and none is reached from here' },
};

it('shows where a machine goes and why, and changes one address, one rule and one decision', async () => {
  const { asked, fetching } = service({
    'GET /lanes/over': { ...lane, findings: [] }, 'GET /lanes/lane-1/shores': [], 'GET /lanes/lane-1/settings': settings, 'GET /lanes/lane-1/rules': rules,
    'GET /lanes/lane-1/plan': { items: [placed], total: 1, page: 0, size: 50 }, 'GET /lanes/lane-1/link': link, 'POST /lanes/lane-1/link': {}, 'GET /lanes/lane-1/clients': { items: [], total: 0, page: 0, size: 100 }, 'GET /lanes/lane-1/ingress': { items: [ingress], total: 1, page: 0, size: 50 }, 'GET /lanes/lane-1/spans': [], 'GET /findings': [], 'PUT /lanes/lane-1/rules': lane,
  });
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter initialEntries={['/lanes/over?machine=photo-web']}>
        <Routes>
          <Route path="/lanes/:lane" element={<LanePage />} />
        </Routes>
      </MemoryRouter>
    </QueryClientProvider>,
  );
  const one = within(await screen.findByRole('region', { name: 'photo-web' }));
  expect(one.getByText('choose (label app=photo)')).toBeTruthy();
  expect(one.getByText('zone tide-1 (the lane)')).toBeTruthy();
  const puts = () => asked.filter((a) => a.method === 'PUT').map((a) => a.body);
  fireEvent.change(one.getByRole('textbox', { name: 'Address of card 0 of photo-web' }), { target: { value: '10.20.4.50' } });
  fireEvent.click(one.getByRole('button', { name: 'Set' }));
  await waitFor(() => expect(puts()).toEqual([{ changes: [{ scope: 'card', of: 'm-1', part: 0, setting: 'address', value: '10.20.4.50' }] }]));

  const decisions = within(screen.getByRole('region', { name: 'Decisions' }));
  expect(await decisions.findAllByRole('button', { name: /Unset/ })).toHaveLength(1);
  fireEvent.click(decisions.getByRole('button', { name: 'Unset class of disk photo-web' }));
  await waitFor(() => expect(puts()[1]).toEqual({ changes: [{ scope: 'disk', of: 'm-1', part: 0, setting: 'class', value: '' }] }));

  const letIn = within(screen.getByRole('region', { name: 'Who is let in' }));
  expect(await letIn.findByText('2 clients')).toBeTruthy();
  expect(letIn.getByText('tcp/445 from 10.61.0.0/22 (2 clients, 1,800 connections)')).toBeTruthy();
  fireEvent.click(letIn.getByRole('button', { name: 'Accept what is proposed for photo-web' }));
  await waitFor(() => expect(puts()[2]).toEqual({ changes: [{ scope: 'machine', of: 'm-1', setting: 'ingress', value: 'tcp/445 from 10.61.0.0/22' }] }));

  const way = within(screen.getByRole('region', { name: 'The link' }));
  expect(await way.findByText('to saltmarsh: 141MiB/s; 1 TiB takes 2h3m')).toBeTruthy();
  expect(way.getByText('to mill-street: not measured')).toBeTruthy();
  expect(way.getByText(link.to.problem)).toBeTruthy();
  fireEvent.click(way.getByRole('button', { name: 'Measure it' }));
  await waitFor(() => expect(asked.filter((a) => a.method === 'POST').map((a) => a.path)).toEqual(['/lanes/lane-1/link']));

  const choose = (field: string, value: string) => {
    fireEvent.mouseDown(decisions.getByRole('combobox', { name: field }));
    fireEvent.click(screen.getByRole('option', { name: value }));
  };
  choose('Setting', 'class');
  choose('For', 'disk');
  choose('Value', 'reed');
  const set = decisions.getByRole('button', { name: 'Set' }) as HTMLButtonElement;
  expect(set.disabled).toBe(true);
  fireEvent.change(decisions.getByRole('textbox', { name: 'Which' }), { target: { value: 'files/2' } });
  fireEvent.click(set);
  await waitFor(() => expect(puts()[3]).toEqual({ changes: [{ scope: 'disk', of: 'files', part: 2, setting: 'class', value: 'reed' }] }));
  expect(one.getByText('carried to scans')).toBeDefined();
  fireEvent.click(one.getByRole('button', { name: 'Leave out disk 1 of photo-web' }));
  await waitFor(() => expect(puts()[4]).toEqual({ changes: [{ scope: 'disk', of: 'm-1', part: 1, setting: 'copy', value: 'off' }] }));
});

it('writes the address plan as the service reads it', () => {
  expect(lines([placed])).toEqual([
    ['machine', 'id', 'wave', 'card', 'network', 'former', 'subnet', 'address', 'kept', 'rule'],
    ['photo-web', 'm-1', 'evening', '0', 'net-public', '10.20.4.31', 'sub-public', '10.20.4.9', 'no', 'choose'],
  ]);
  expect(named('card', 'a/b/1')).toEqual({ of: 'a/b', part: 1 });
  expect(named('label', 'path=/srv')).toEqual({ of: 'path=/srv' });
});

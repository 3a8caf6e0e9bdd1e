// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { cleanup, fireEvent, render, screen, waitFor, within } from '@testing-library/react';
import { MemoryRouter } from 'react-router';
import { afterEach, expect, it, vi } from 'vitest';
import { service } from '../testing';
import { AccessPage } from './AccessPage';
import { SignIn } from './SignIn';

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const token = { id: 'tok-1', name: 'graphs', account: 'ada', kind: 'token', roles: ['reader'], tug: null, createdAt: '2026-11-01T08:00:00Z', expiresAt: '2027-01-30T08:00:00Z', usedAt: null, usedFrom: null, present: false };
const session = { ...token, id: 'tok-2', name: '', kind: 'session', usedAt: '2026-11-02T08:00:00Z', usedFrom: '192.0.2.7', present: true };

const provider = { name: 'Harbour Office', issuer: 'https://id.example', client: 'lane', secret: true, address: 'https://lane.example', redirect: 'https://lane.example/api/v1/sign-in/return', scopes: ['profile'], groupsClaim: 'groups', authority: false, groups: [{ group: 'crew', roles: ['planner'], machines: '' }] };

function shown(answers: Record<string, unknown>) {
  const { asked, fetching } = service(answers);
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter>
        <AccessPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return asked;
}

it('shows the own tokens, revokes one, and tells a new one once', async () => {
  const asked = shown({
    'GET /me': { account: 'ada', csrf: 'c', roles: ['reader', 'mover'], machines: '' },
    'GET /tokens': [session, token],
    'POST /tokens': { token: { ...token, id: 'tok-3' }, secret: 'told-once' },
    'DELETE /tokens/tok-1': undefined,
  });
  expect(await screen.findByText('You are ada: reader, mover')).toBeTruthy();
  expect(screen.queryByText('Accounts')).toBeNull();
  expect(within((await screen.findByText('this session')).closest('tr')!).getByText('192.0.2.7')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Revoke graphs' }));
  await waitFor(() => expect(asked.some((a) => a.path === '/tokens/tok-1')).toBe(true));
  fireEvent.change(screen.getByLabelText('What a token is for'), { target: { value: 'backups' } });
  fireEvent.click(screen.getByRole('button', { name: 'Make a token' }));
  expect(await screen.findByText('told-once')).toBeTruthy();
  expect(asked.find((a) => a.path === '/tokens' && a.method === 'POST')?.body).toMatchObject({ name: 'backups', roles: null, tug: null, lifeSeconds: 7776000 });
});

it('lets a keeper add an account, and remove one only when it is said twice', async () => {
  const account = { name: 'bea', roles: ['planner'], machines: '', provider: '', createdAt: '2026-11-01T08:00:00Z', seenAt: null, sessions: 0, tokens: 1 };
  const asked = shown({
    'GET /me': { account: 'ada', csrf: 'c', roles: ['keeper'], machines: '' },
    'GET /tokens': [session],
    'GET /accounts': [account],
    'GET /sign-in/provider': provider,
    'PUT /sign-in/provider': provider,
    'GET /audit': { items: [{ id: 7, at: '2026-11-01T08:00:00Z', account: 'bea', token: 'tok-9', address: '192.0.2.7', method: 'POST', path: '/api/v1/waves/lending/cutover', before: '{"rank":1}', asked: '{}', status: 409, code: 'gate-shut', of: 6, digest: 'd' }], total: 1, page: 0, size: 20 },
    'GET /audit/check': { entries: 7, gone: 2, digest: 'd', broken: '' },
    'POST /accounts': { account: { ...account, name: 'cleo' }, password: 'made-for-her' },
    'DELETE /accounts/bea': undefined,
  });
  fireEvent.change(await screen.findByLabelText('Account'), { target: { value: 'cleo' } });
  fireEvent.click(screen.getByRole('button', { name: 'Add the account' }));
  expect(await screen.findByText('made-for-her')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Remove bea' }));
  expect(asked.some((a) => a.method === 'DELETE')).toBe(false);
  fireEvent.click(screen.getByRole('button', { name: 'Remove bea and its tokens' }));
  await waitFor(() => expect(asked.some((a) => a.method === 'DELETE' && a.path === '/accounts/bea')).toBe(true));
  fireEvent.change(screen.getByLabelText('Account'), { target: { value: 'BEA' } });
  expect(screen.getByRole('button', { name: 'Change what it may do' })).toBeTruthy();
  expect(screen.getByText('gate-shut (entry 6)')).toBeTruthy();
  expect(screen.getByText('POST /waves/lending/cutover')).toBeTruthy();
  expect(screen.getByText('{"rank":1}')).toBeTruthy();
  fireEvent.click(screen.getByRole('button', { name: 'Change the provider' }));
  fireEvent.change(screen.getByLabelText('Only machines of, for group 1'), { target: { value: 'label.app = lending' } });
  fireEvent.click(screen.getByRole('button', { name: 'Sign people in through it' }));
  await waitFor(() => expect(asked.find((a) => a.method === 'PUT' && a.path === '/sign-in/provider')?.body).toMatchObject({ issuer: 'https://id.example', secret: null, authority: null, groups: [{ group: 'crew', roles: ['planner'], machines: 'label.app = lending' }] }));
  fireEvent.click(screen.getByRole('button', { name: 'Check the chain' }));
  expect(await screen.findByText('7 entries, all as they were written; 2 older ones are kept no more')).toBeTruthy();
});

it('offers the identity provider, and says why it let nobody in', async () => {
  window.history.replaceState(null, '', '/?refused=provider-no-role');
  const { fetching } = service({ 'GET /sign-in': { provider: 'Harbour Office' } });
  vi.stubGlobal('fetch', fetching);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <SignIn onSignedIn={() => {}} />
    </QueryClientProvider>,
  );
  expect(screen.getByText(/You are in no group that may do anything here/)).toBeTruthy();
  expect((await screen.findByRole('link', { name: 'Sign in with Harbour Office' })).getAttribute('href')).toBe('/api/v1/sign-in/begin');
  window.history.replaceState(null, '', '/');
});

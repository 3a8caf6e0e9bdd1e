import { useQuery } from '@tanstack/react-query';
import type { ReactNode } from 'react';
import { answer, api } from '../api';

/** Who is signed in, as it was last read; nothing on a page that is shown by itself. */
export function useMe() {
  return useQuery({ queryKey: ['me'], queryFn: () => answer(api.GET('/api/v1/me')), enabled: false }).data;
}

/** Whether who is signed in has one of some roles, and is not limited to some machines. */
export function useMay(roles: string, own = false): boolean {
  const me = useMe();
  return me === undefined || ((roles === '' || roles.split(' ').some((r) => me.roles.includes(r))) && (own || me.machines === ''));
}

/**
 * Shows something to those with one of some roles; what is not about their own machines, not to
 * those who are limited to some. It saves them a refusal: what they may do is judged by the service.
 */
export function May({ roles = '', own = false, children }: { roles?: string; own?: boolean; children: ReactNode }) {
  return useMay(roles, own) ? <>{children}</> : null;
}

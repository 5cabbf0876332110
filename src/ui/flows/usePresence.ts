'use client';

import { useQuery } from '@tanstack/react-query';
import { useEffect, useState } from 'react';
import type { PresenceView } from '@/core/api';
import { api } from '../kit';

/** How often it is said where somebody is, and asked who else is there, in milliseconds. */
const EVERY_MS = 3_000;

/** Says which step of a flow is being looked at here, and hears who else has it open and where they are. */
export function usePresence(key: string, step: string): PresenceView | undefined {
  const [tab] = useState(() => crypto.randomUUID());
  const { data } = useQuery({
    queryKey: ['presence', key, tab, step],
    queryFn: () => api<PresenceView>(`/flows/${key}/presence`, { method: 'POST', body: { tab, step: step === 'trigger' ? null : step } }),
    refetchInterval: EVERY_MS,
    placeholderData: (before) => before,
    retry: false,
  });
  // who goes is not shown for a while longer, least of all to themselves
  useEffect(() => {
    const leave = () =>
      void fetch(`/api/v1/flows/${key}/presence`, {
        method: 'POST',
        keepalive: true,
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ tab, step: null, leaves: true }),
      }).catch(() => undefined);
    window.addEventListener('pagehide', leave);
    return () => {
      window.removeEventListener('pagehide', leave);
      leave();
    };
  }, [key, tab]);
  return data;
}

import { redirect } from 'next/navigation';
import type { ReactNode } from 'react';
import { readStore } from '@/data/store';
import { database } from '@/server/database';
import { env } from '@/server/env';
import { signedIn } from '@/server/session';
import { Frame } from '@/ui/Frame';
import { signOut } from '../sign-in/actions';

export const dynamic = 'force-dynamic';

export default async function AppLayout({ children }: { children: ReactNode }) {
  const user = await signedIn();
  if (!user) redirect('/sign-in');
  const store = await readStore(database());
  return (
    <Frame user={user} store={{ name: store.name, zone: store.zone, currency: store.currency, isDemo: env().isDemo }} clock={{ now: new Date(store.now).toISOString(), zone: store.zone, offsetMs: store.offsetMs }} signOut={signOut}>
      {children}
    </Frame>
  );
}

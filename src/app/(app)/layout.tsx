import type { ReactNode } from 'react';
import { readStore } from '@/data/store';
import { screen } from '@/server/access';
import { database, env } from '@/server/base';
import { Frame } from '@/ui/frame';
import { signOut } from '../sign-in/actions';

export const dynamic = 'force-dynamic';

export default screen(
  async ({ children }: { children: ReactNode }, user) => {
    const store = await readStore(database());
    return (
      <Frame
        user={{ name: user.name, email: user.email, role: user.role }}
        store={{ name: store.name, zone: store.zone, currency: store.currency, languages: store.languages, isDemo: env().isDemo }}
        clock={{ now: new Date(store.now).toISOString(), zone: store.zone, offsetMs: store.offsetMs }}
        signOut={signOut}
      >
        {children}
      </Frame>
    );
  },
  { isOpen: true },
);

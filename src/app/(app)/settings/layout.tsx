import type { ReactNode } from 'react';
import { screen } from '@/server/access';
import { Places } from '@/ui/kit';

const PLACES = [
  { href: '/settings/store', name: 'Store and privacy' },
  { href: '/settings/sending', name: 'Sending' },
  { href: '/settings/calls', name: 'Calls' },
  { href: '/settings/team', name: 'Team' },
  { href: '/settings/log', name: 'Log' },
];

export default screen(({ children }: { children: ReactNode }) => (
  <>
    <Places label="Settings" places={PLACES} />
    {children}
  </>
));

import type { ReactNode } from 'react';
import { screen } from '@/server/access';
import { Places } from '@/ui/kit';

const PLACES = [
  { href: '/revenue', name: 'Ledger', isExact: true },
  { href: '/revenue/carts', name: 'Carts' },
  { href: '/revenue/tests', name: 'Tests' },
  { href: '/revenue/lift', name: 'Lift' },
  { href: '/revenue/people', name: 'People' },
  { href: '/revenue/reports', name: 'Reports' },
];

export default screen(({ children }: { children: ReactNode }) => (
  <>
    <Places label="Revenue" places={PLACES} />
    {children}
  </>
));

import type { ReactNode } from 'react';
import { screen } from '@/server/access';
import { Places } from '@/ui/kit';

const PLACES = [
  { href: '/messages', name: 'Library', isExact: true },
  { href: '/messages/brand', name: 'Brand' },
  { href: '/messages/feeds', name: 'Feeds' },
];

export default screen(({ children }: { children: ReactNode }) => (
  <>
    <Places label="Messages" places={PLACES} />
    {children}
  </>
));

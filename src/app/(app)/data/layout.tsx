import type { ReactNode } from 'react';
import { screen } from '@/server/access';
import { Places } from '@/ui/kit';

const PLACES = [
  { href: '/data', name: 'Sources', isExact: true },
  { href: '/data/events', name: 'Events' },
  { href: '/data/attributes', name: 'Attributes' },
  { href: '/data/products', name: 'Products' },
  { href: '/data/tables', name: 'Tables' },
  { href: '/data/files', name: 'Files' },
  { href: '/data/forms', name: 'Forms' },
  { href: '/data/consent', name: 'Consent' },
  { href: '/data/merges', name: 'Merges' },
  { href: '/data/places', name: 'Places and currencies' },
];

export default screen(({ children }: { children: ReactNode }) => (
  <>
    <Places label="Data" places={PLACES} />
    {children}
  </>
));

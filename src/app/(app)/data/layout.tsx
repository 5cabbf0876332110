import type { ReactNode } from 'react';
import { Places } from '@/ui/kit/Page';

const PLACES = [
  { href: '/data', name: 'Sources', isExact: true }, { href: '/data/events', name: 'Events' }, { href: '/data/attributes', name: 'Attributes' }, { href: '/data/files', name: 'Files' },
  { href: '/data/forms', name: 'Forms' }, { href: '/data/consent', name: 'Consent' }, { href: '/data/merges', name: 'Merges' },
];

export default function DataLayout({ children }: { children: ReactNode }) {
  return <><Places label="Data" places={PLACES} />{children}</>;
}

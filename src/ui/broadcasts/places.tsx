import { Places } from '../kit';

const PLACES = [
  { href: '/flows', name: 'Flows', isExact: true },
  { href: '/broadcasts', name: 'Broadcasts', isExact: true },
  { href: '/calendar', name: 'Calendar' },
];

/** What goes out: flows, broadcasts, and both by day. */
export const OutPlaces = () => <Places label="Flows" places={PLACES} />;

/** The sections that stand in the bar. */
export const SECTIONS: readonly { href: string; name: string; also?: readonly string[]; demoOnly?: boolean }[] = [
  { href: '/today', name: 'Today' },
  { href: '/flows', name: 'Flows', also: ['/broadcasts', '/calendar'] },
  { href: '/people', name: 'People' },
  { href: '/messages', name: 'Messages' },
  { href: '/offers', name: 'Offers' },
  { href: '/revenue', name: 'Revenue' },
  { href: '/data', name: 'Data' },
  { href: '/settings', name: 'Settings' },
  { href: '/outside', name: 'Outside', demoOnly: true },
];

/** Places within sections that search-and-do leads to. */
export const PLACES: readonly { href: string; name: string }[] = [
  { href: '/broadcasts', name: 'Broadcasts' },
  { href: '/calendar', name: 'Calendar of what goes out' },
  { href: '/people/lists', name: 'Lists' },
  { href: '/people/tasks', name: 'Tasks' },
  { href: '/messages/brand', name: 'Brand' },
  { href: '/messages/feeds', name: 'Feeds' },
  { href: '/offers/new', name: 'New offer' },
  { href: '/revenue/carts', name: 'Carts that were left' },
  { href: '/revenue/tests', name: 'Tests' },
  { href: '/revenue/lift', name: 'Lift: what flows add' },
  { href: '/revenue/people', name: 'People over time: cohorts and what is expected' },
  { href: '/data', name: 'Sources' },
  { href: '/data/events', name: 'Event catalogue' },
  { href: '/data/attributes', name: 'Attributes' },
  { href: '/data/products', name: 'Products' },
  { href: '/data/files', name: 'Files' },
  { href: '/data/files/new', name: 'Import a file' },
  { href: '/data/forms', name: 'Forms' },
  { href: '/data/consent', name: 'Consent and topics' },
  { href: '/data/merges', name: 'Merges' },
  { href: '/data/places', name: 'Places and currencies' },
  { href: '/settings/store', name: 'Store and privacy' },
  { href: '/settings/sending', name: 'Limits of sending' },
  { href: '/settings/calls', name: 'Calls to other systems' },
  { href: '/account', name: 'Your account and password' },
];

/** Screens that change nothing, or each thing of which says by itself who may change it. */
const READ = ['/today', '/account', '/outside', '/calendar', '/revenue', '/settings/log', '/people/tasks'];

/** What a screen changes, as a place of the public interface; undefined where nothing is changed as a whole. */
export function placeOf(path: string): string | undefined {
  if (READ.some((one) => path === one || path.startsWith(`${one}/`))) return undefined;
  if (path === '/messages/brand' || path === '/messages/feeds') return path.slice('/messages'.length);
  // a flow is written by writers, too, who change its messages; the list of flows is not
  return path.startsWith('/broadcasts/') ? `/flows/${path.split('/')[2]}` : path;
}

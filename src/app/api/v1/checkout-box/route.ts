import { readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { boxOf, checkoutBox, saveCheckoutBox } from '@/server/store';

export const dynamic = 'force-dynamic';
/** With `?country=DE`: the box for a shopper from there, for the shop to show; a key with the scope events may ask. */
export const GET = route(
  async ({ db, url }) => json(url.searchParams.has('country') ? await boxOf(db, url.searchParams.get('country')) : await checkoutBox(db)),
  'events',
);
export const PUT = route(async ({ db, request, caller }) => json(await saveCheckoutBox(db, await readJson(request), caller.name)));

import { route, written } from '@/server/door';
import { restoreOffer } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, params, caller }) => written(await restoreOffer(db, params.key!, caller.name), { key: params.key }));

import { json, route } from '@/server/door';
import { dueMeanwhile } from '@/server/flows';

export const dynamic = 'force-dynamic';
/** What has fallen due while the flow is paused. */
export const GET = route(async ({ db, params }) => json(await dueMeanwhile(db, params.key!)));

import { json, route } from '@/server/door';
import { offerReport } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await offerReport(db, params.key!)));

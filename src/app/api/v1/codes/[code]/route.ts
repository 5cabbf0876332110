import { json, route } from '@/server/door';
import { codeView } from '@/server/offers';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await codeView(db, params.code!)));

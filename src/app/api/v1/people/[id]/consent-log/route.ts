import { json, route } from '@/server/door';
import { consentRecord } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await consentRecord(db, params.id!)));

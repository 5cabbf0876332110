import { env } from '@/server/base';
import { json, route } from '@/server/door';
import { senderRecords } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await senderRecords(db, params.key!, env())));

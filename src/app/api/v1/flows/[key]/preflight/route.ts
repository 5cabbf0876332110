import { env } from '@/server/base';
import { json, route } from '@/server/door';
import { preflightOf } from '@/server/flows';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await preflightOf(db, params.key!, env().inside)));

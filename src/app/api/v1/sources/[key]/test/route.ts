import { json, route } from '@/server/http/route';
import { testSource } from '@/server/sources';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, scope, params }) => json(await testSource(db, scope, params.key!)));

import { json, route } from '@/server/http/route';
import { whyNot } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, scope, params, url }) => json(await whyNot(db, scope, params.id!, url.searchParams.get('flow') ?? '')));

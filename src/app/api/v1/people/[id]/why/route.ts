import { json, route } from '@/server/door';
import { whyNot } from '@/server/people';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params, url }) => json(await whyNot(db, params.id!, url.searchParams.get('flow') ?? '')));

import { attributeList } from '@/server/people';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await attributeList(db, url.searchParams.get('count') !== 'no')));

import { attributeList } from '@/server/attributes';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await attributeList(db, url.searchParams.get('count') !== 'no')));

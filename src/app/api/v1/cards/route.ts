import { cards } from '@/server/cards';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await cards(db, url)));

import { json, route } from '@/server/door';
import { productFeeds } from '@/server/products';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await productFeeds(db)));

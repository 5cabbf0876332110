import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { LARGEST_TABLE } from '@/server/places';
import { products, putProducts } from '@/server/products';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, url }) => json(await products(db, url)));
export const POST = route(async ({ db, request, caller }) => {
  const stored = await putProducts(db, await readJson(request, LARGEST_TABLE), caller.name);
  return written(stored, stored);
});

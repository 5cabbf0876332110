import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { productView, putProduct } from '@/server/products';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db, params }) => json(await productView(db, params.sku!)));
export const PUT = route(async ({ db, params, request, caller }) =>
  written(await putProduct(db, params.sku!, await readJson(request), caller.name), { sku: params.sku }),
);

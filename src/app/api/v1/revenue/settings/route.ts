import { readJson } from '@/server/http';
import { json, route, written } from '@/server/door';
import { revenueSettings, writeRevenueSettings } from '@/server/revenue';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await revenueSettings(db)));
export const PUT = route(async ({ db, request, caller }) =>
  written(await writeRevenueSettings(db, await readJson(request), caller.name), { stored: true }),
);

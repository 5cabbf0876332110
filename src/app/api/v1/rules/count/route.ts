import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { countRule } from '@/server/rules';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request }) => json(await countRule(db, await readJson(request, LARGEST_RULE))), 'read');

import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { explainRule } from '@/server/rules';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ db, request }) => json(await explainRule(db, await readJson(request, LARGEST_RULE))), 'read');

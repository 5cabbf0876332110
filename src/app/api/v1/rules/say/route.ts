import { LARGEST_RULE, readJson } from '@/server/http';
import { json, route } from '@/server/door';
import { sayRuleOf } from '@/server/rules';

export const dynamic = 'force-dynamic';
export const POST = route(async ({ request }) => json(sayRuleOf(await readJson(request, LARGEST_RULE))), 'read');

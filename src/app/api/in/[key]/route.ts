import { readRaw } from '@/server/http/read';
import { json, route } from '@/server/http/route';
import { takeWebhook } from '@/server/sources';

export const dynamic = 'force-dynamic';
/** Signed webhooks from outside (Standard Webhooks). */
export const POST = route(async ({ request, db, scope, params }) => json(await takeWebhook(db, scope, params.key!, request.headers, await readRaw(request)), 202), 'anyone');

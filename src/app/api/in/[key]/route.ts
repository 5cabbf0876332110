import { readRaw } from '@/server/http';
import { json, route } from '@/server/door';
import { takeWebhook } from '@/server/sources';

export const dynamic = 'force-dynamic';
/** Signed webhooks from outside (Standard Webhooks). */
export const POST = route(
  async ({ request, db, params }) => json(await takeWebhook(db, params.key!, request.headers, await readRaw(request)), 202),
  'anyone',
);

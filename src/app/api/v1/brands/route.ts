import { json, route } from '@/server/door';
import { brands } from '@/server/letters';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await brands(db)));

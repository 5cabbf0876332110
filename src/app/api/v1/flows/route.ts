import { listOfFlows } from '@/server/flows';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ db }) => json(await listOfFlows(db)));

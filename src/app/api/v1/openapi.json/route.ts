import { description } from '@/server/api';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ url }) => json(description(url.origin)), 'anyone');

import { description } from '@/server/http/openapi';
import { json, route } from '@/server/http/route';

export const dynamic = 'force-dynamic';
export const GET = route(async ({ url }) => json(description(url.origin)), 'anyone');

import { STARTERS } from '@/core/starters';
import { json, route } from '@/server/door';

export const dynamic = 'force-dynamic';
export const GET = route(() => Promise.resolve(json({ starters: STARTERS })));

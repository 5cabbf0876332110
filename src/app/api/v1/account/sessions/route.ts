import { signOutElsewhere } from '@/server/access';
import { json, personAsking, route } from '@/server/door';

export const dynamic = 'force-dynamic';
/** Ends all sessions but the one in hand. */
export const DELETE = route(async ({ caller }) => json(await signOutElsewhere(personAsking(caller))), 'self');

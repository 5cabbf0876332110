import { route } from '@/server/door';
import { pushPageScript, scriptAnswer } from '@/server/public';

export const dynamic = 'force-dynamic';
/** What a page of the shop asks its readers by. */
export const GET = route(() => Promise.resolve(scriptAnswer(pushPageScript())), 'anyone');

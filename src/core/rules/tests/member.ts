import * as z from 'zod';
import type { Instant } from '../../time';
import type { Facts, Viewpoint } from '../facts';
import type { Verdict } from '../look';
import { durationSchema } from '../value';
import { passesOut, saySince, spanOf } from '../when';
import type { LookedAt } from './kind';

/** Since when somebody has to have been on a list, in a segment, or had a tag: within a duration, or for longer. */
export const memberSince = z.union([z.strictObject({ last: durationSchema }), z.strictObject({ ago: durationSchema })]).optional();
type MemberSince = z.infer<typeof memberSince>;

/** Whether somebody belongs to something, and has for as long as is asked for. */
export function lookMember(
  kind: 'list' | 'segment' | 'tag',
  name: string,
  { isIn, since }: { isIn: boolean; since: MemberSince },
  facts: Facts,
  view: Viewpoint,
): LookedAt {
  const own = kind === 'list' ? facts.lists : kind === 'tag' ? facts.tags : facts.segments;
  const is = own.includes(name);
  if (!since || !is) return { holds: is === isIn, until: null, saw: is };
  const { holds, until } = lookSince(facts.since[`${kind}/${name}`] ?? -Infinity, since, view);
  return { holds: holds === isIn, until, saw: is };
}

/** Whether something has been so since a moment within what is asked for. */
export function lookSince(at: Instant, since: NonNullable<MemberSince>, view: Viewpoint): Verdict {
  const { after, to } = spanOf(since, view);
  const holds = 'last' in since ? at > after && at <= to : at <= to;
  const duration = 'last' in since ? since.last : since.ago;
  // the one ends as the other begins
  const until = at > view.now ? at : at > spanOf({ last: duration }, view).after ? passesOut(at, duration, view) : null;
  return { holds, until };
}

/** Since when, behind what somebody belongs to: " for more than 30 days". */
export function sayMemberSince(since: MemberSince): string {
  if (!since) return '';
  return 'last' in since ? `, and has come to be${saySince(since)}` : ` for${saySince(since).replace(/ ago$/, '')}`;
}

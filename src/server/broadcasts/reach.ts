import { reachInput, type ReachView } from '@/core/api';
import { sayObstacle, type Obstacle } from '@/core/messages';
import { CHANNEL_WORDS } from '@/core/rules';
import { sayDuration, subtractDuration } from '@/core/time';
import { reachByWhy } from '@/data/broadcasts';
import type { Db } from '@/data/db';
import { readStore } from '@/data/store';
import { Problem, problemsOf } from '../http';
import { forLists } from '../people';

/** How many people an audience is, how many of them can get a message now, and why the others cannot. */
export async function reachOfAudience(db: Db, body: unknown): Promise<ReachView> {
  const parsed = reachInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an audience', 'Nothing was counted.', problemsOf(parsed.error));
  const { who, channel, kind, topic } = parsed.data;
  const { now, zone, world, limits } = await readStore(db);
  // what is only known inside a flow is said, before it is looked for
  if (who) forLists(who, { now, zone, world });
  const isService = kind === 'service';
  const gap = isService ? null : (limits?.gap ?? null);
  const since = gap === null ? null : subtractDuration(now, gap, zone);
  const rows = await reachByWhy(db, who, { now, zone, world, channel, isService, topic: topic ?? null, since });
  const free = rows.find(({ why }) => why === null);
  const control = isService ? 0 : (limits?.control?.share ?? 0);
  const keptOut = Math.round(((free?.people ?? 0) * control) / 100);
  return {
    channel,
    people: rows.reduce((sum, { people }) => sum + people, 0),
    reachable: (free?.people ?? 0) - keptOut,
    leftOut: [
      ...rows.flatMap(({ why, people }) => (why === null ? [] : [{ why: sayWhy(why, channel, topic ?? ''), people }])),
      ...(keptOut ? [{ why: `of the store’s control group (${control} %), by lot`, people: keptOut, isAbout: true as const }] : []),
    ],
    held: gap === null ? null : { people: free?.lately ?? 0, gap: sayDuration(gap) },
  };
}

function sayWhy(why: string, channel: ReachView['channel'], topic: string): string {
  switch (why) {
    case 'declined':
      return sayObstacle({ kind: 'declined', topic } satisfies Obstacle);
    case 'suppressed':
      return 'address is suppressed';
    case 'no-address':
      return `no ${CHANNEL_WORDS[channel].address} on file`;
    case 'withdrawn':
      return `consent to ${CHANNEL_WORDS[channel].noun} was withdrawn`;
    case 'not-asked':
      return `no consent to ${CHANNEL_WORDS[channel].noun} on file`;
    default:
      return 'asked for a pause that still lasts';
  }
}

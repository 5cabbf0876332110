import { sayTrial } from '../flows';
import { sayRule, type Wording } from '../rules';
import { sayDuration, sayRecurrence } from '../time';
import type { Again, Broadcast } from './broadcast';

/** To whom a broadcast goes, in words: "everybody who is in the list news, but nobody who has the tag trade". */
export function sayWho({ to, without }: Pick<Broadcast, 'to' | 'without'>, wording: Wording = {}): string {
  const list = (rules: Broadcast['to']) => rules.map((rule) => sayRule(rule, wording)).join(', or ');
  return `everybody${to.length ? ` who ${list(to)}` : ''}${without.length ? `, but nobody who ${list(without)}` : ''}`;
}

const DAY_WORDS = new Intl.DateTimeFormat('en-IE', { weekday: 'long', day: 'numeric', month: 'long', year: 'numeric', timeZone: 'UTC' });

/** When a broadcast goes out, in words: "on Wednesday 2 December 2026 at 09:00". */
export function sayWhen({ when, pace }: Pick<Broadcast, 'when' | 'pace'>, zone: string): string {
  const day = DAY_WORDS.format(new Date(`${when.starts}:00Z`));
  const at = `${day} at ${when.starts.slice(11)}`;
  const clocks = when.clocks ? 'by each person’s own clocks' : `(${zone})`;
  const times = when.rule ? `from ${at} ${clocks}, ${sayRecurrence(when.rule)}` : `on ${at} ${clocks}`;
  if (!pace) return times;
  return 'over' in pace
    ? `${times}, spread over ${sayDuration(pace.over)}`
    : `${times}, each at the hour at which they mostly open (${pace.otherwise} where that is not known)`;
}

const sayAgain = ({ after, letter, unless, exceptBought }: Again): string =>
  `after ${sayDuration(after)} “${letter.name}” to those who have not ${unless} it${exceptBought ? ' and have not ordered' : ''}`;

/** What a broadcast sends, in words: how many messages, how they are tried, what goes out once more. */
export function sayWhat({ contents, trial, again, news }: Broadcast): string[] {
  const names = contents.map(({ letter }) => `“${letter.name}”`);
  const first =
    contents.length === 1
      ? names[0]!
      : trial
        ? `${names.slice(0, -1).join(', ')} or ${names.at(-1)}, tried ${sayTrial(trial)}`
        : `${names.slice(0, -1).join(', ')} or ${names.at(-1)}, as many people each`;
  return [
    first,
    ...(again ? [sayAgain(again)] : []),
    ...(news ? [`only when there ${news.atLeast === 1 ? 'is anything' : `are at least ${news.atLeast} entries`} new in the feed`] : []),
  ];
}

/** The last look at a broadcast before it is let go, in one sentence. `reach` is how many can get it now. */
export function sayBroadcast(broadcast: Broadcast, reach: number, people: number, zone: string, now = false): string {
  const count = (n: number) => n.toLocaleString('en-IE');
  const who = reach === people ? `${count(reach)} ${reach === 1 ? 'person' : 'people'}` : `${count(reach)} of ${count(people)} people`;
  const when = now ? sayNow(broadcast) : sayWhen(broadcast, zone);
  const [first, ...more] = sayWhat(broadcast);
  return `${when[0]!.toUpperCase()}${when.slice(1)}, ${who} ${reach === 1 ? 'gets' : 'get'} ${first}${more.length ? `; ${more.join('; ')}` : ''}.`;
}

const sayNow = ({ pace, when }: Broadcast): string => {
  const times = when.rule ? `now and then ${sayRecurrence(when.rule)}` : 'now';
  if (!pace) return times;
  return 'over' in pace ? `${times}, spread over ${sayDuration(pace.over)}` : `from now on, each at the hour at which they mostly open`;
};

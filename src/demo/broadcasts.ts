import { documentOf, freshBroadcast, type Broadcast, type Letter } from '../core/broadcasts';
import type { FlowDocument } from '../core/flows';
import type { Block, Email } from '../core/messages';
import type { Rule } from '../core/rules';
import { atClock, dayAt, localDate, DAY, HOUR, type Instant } from '../core/time';

/** A broadcast of the demo: since when it is planned, and whether it is at all. */
export interface DemoBroadcast {
  readonly key: string;
  readonly document: FlowDocument;
  readonly isOn: boolean;
  /** when it was planned */
  readonly from: Instant;
}

const HELLO = 'Hello {{ person.firstName | fallback: "keeper" }},';
const orderedWithin = (last: string): Rule => ({ test: 'did', event: 'order.placed', since: { last } });
const livesIn = (...countries: string[]): Rule => ({ test: 'attribute', name: 'country', op: 'oneOf', value: countries });

function letter(name: string, subject: string, preview: string, blocks: Block[]): Letter {
  const message: Email = { schema: 'viatic.message/1', channel: 'email', kind: 'marketing', subject, preview, blocks };
  return { name, message };
}

/** Quillfin's broadcasts: two that have gone out, one planned, one each week when the blog has news, and a draft. */
export function demoBroadcasts(baseUrl: string, end: Instant, zone: string): DemoBroadcast[] {
  const today = dayAt(end, zone);
  const onDay = (days: number, clock: string): { starts: string; at: Instant } => {
    const at = atClock(today + days, clock, zone);
    return { starts: `${localDate(at, zone)}T${clock}`, at };
  };
  const one = (
    key: string,
    name: string,
    { starts, at }: { starts: string; at: Instant },
    broadcast: (plain: Broadcast) => Broadcast,
    first: Letter,
    about: Pick<FlowDocument, 'owner' | 'tags'>,
    isOn = true,
  ): DemoBroadcast => ({
    key,
    document: documentOf(broadcast(freshBroadcast(starts, first)), key, { name, ...about }),
    isOn,
    from: Math.min(at - 2 * DAY, end),
  });
  const autumnDays = onDay(-24, '10:00');
  const stemsDays = onDay(-9, '10:00');
  const autumn = (name: string, subject: string) =>
    letter(name, subject, 'Three things that want doing before it gets cold', [
      { id: 'b1', kind: 'heading', text: 'Autumn in the tank', level: 1 },
      {
        id: 'b2',
        kind: 'text',
        text: [
          HELLO,
          'shorter days mean less light for plants and colder rooms for everything that swims.',
          '**Check the heater, feed a little less, cut back what has grown too tall.**',
        ].join('\n\n'),
      },
      { id: 'b3', kind: 'products', from: { by: 'best-sold', days: 30 }, most: 3, layout: 'cards' },
      { id: 'b4', kind: 'button', label: 'What a tank needs in autumn', url: `${baseUrl}/outside/blog/cycling` },
      { id: 'b5', kind: 'button', label: 'To the shop', url: `${baseUrl}/outside/shop` },
    ]);
  return [
    one(
      'autumn-in-the-tank',
      'Autumn in the tank',
      autumnDays,
      (plain) => ({
        ...plain,
        to: [orderedWithin('P150D')],
        contents: [
          { id: 'message', letter: autumn('Plain subject', 'Autumn in the tank') },
          { id: 'message-2', letter: autumn('As a question', 'Is your tank ready for short days?') },
        ],
        trial: { share: 40, lasts: 'PT4H', by: 'opened', unsure: 'ask' },
        won: { arm: 'message-2', at: new Date(autumnDays.at + 4 * HOUR + 60_000).toISOString() },
        again: {
          unless: 'opened',
          after: 'P3D',
          exceptBought: true,
          letter: autumn('Once more', 'Before it gets cold: three things for your tank'),
        },
      }),
      autumn('Plain subject', 'Autumn in the tank'),
      { owner: 'Ines Halm', tags: ['seasonal'] },
    ),
    one(
      'stems-are-back',
      'Stems and moss are back',
      stemsDays,
      (plain) => ({ ...plain, to: [livesIn('NL', 'BE', 'DE')], without: [orderedWithin('P10D')], pace: { otherwise: '10:00' } }),
      letter('Stems and moss', 'Stems and moss are back on the shelf', 'Cut yesterday, wet until tomorrow', [
        { id: 'b1', kind: 'heading', text: 'Green again', level: 1 },
        { id: 'b2', kind: 'text', text: `${HELLO}\n\nour growers have cut this week. What is cut on Tuesday is in your tank on Thursday.` },
        { id: 'b3', kind: 'button', label: 'See the plants', url: `${baseUrl}/outside/shop` },
        { id: 'b4', kind: 'button', label: 'Moss that stays where you put it', url: `${baseUrl}/outside/blog/moss` },
      ]),
      { owner: 'Ines Halm', tags: ['plants'] },
    ),
    one(
      'winter-light',
      'Light for dark months',
      onDay(5, '10:00'),
      (plain) => ({ ...plain, to: [orderedWithin('P365D')], pace: { over: 'PT3H' } }),
      letter('Light for dark months', 'Ten hours are enough', 'How long, how bright, and what it costs', [
        { id: 'b1', kind: 'heading', text: 'Light for dark months', level: 1 },
        { id: 'b2', kind: 'text', text: `${HELLO}\n\nten hours of light are enough, and a timer keeps them better than we do.` },
        { id: 'b3', kind: 'button', label: 'Lights and timers', url: `${baseUrl}/outside/shop` },
      ]),
      { owner: 'Marla Quist', tags: ['seasonal'] },
    ),
    one(
      'from-the-blog',
      'From the blog',
      onDay(2, '17:00'),
      (plain) => ({
        ...plain,
        when: { ...plain.when, rule: 'FREQ=WEEKLY' },
        to: [{ test: 'did', event: 'account.created', since: 'ever' }],
        news: { feed: 'quillfin-blog', atLeast: 1 },
      }),
      letter('From the blog', 'What we wrote lately', 'For a quiet evening', [
        { id: 'b1', kind: 'heading', text: 'New on the blog', level: 1 },
        { id: 'b2', kind: 'feed', feed: 'quillfin-blog', most: 5, news: true },
      ]),
      { owner: 'Marla Quist', tags: ['blog'] },
    ),
    one(
      'gifts-for-keepers',
      'Gifts for keepers',
      onDay(6, '09:00'),
      (plain) => ({ ...plain, to: [orderedWithin('P365D')] }),
      letter('Gifts for keepers', 'For somebody who keeps fish', '', [
        { id: 'b1', kind: 'text', text: `${HELLO}\n\nsmall things for somebody who keeps fish:` },
      ]),
      { owner: 'Ines Halm', tags: ['seasonal'] },
      false,
    ),
  ];
}

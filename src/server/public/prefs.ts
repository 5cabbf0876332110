import { addressOf, CHANNELS, isTracked, type Channel } from '@/core/rules';
import type { PageWords } from '@/core/tongue';
import { DAY, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { declinedTopics, findPerson, readConsents, readTopics, type Topic } from '@/data/people';
import { ownerOfSend } from '@/data/messages';
import { readStore } from '@/data/store';
import { savePreferences } from '../people';
import { env } from '../base';
import { openLink } from '../messages';
import { e, optionsOf, publicPage, tickBox } from './page';
import { speechOf, type Speech } from './speech';

/** Whose preference page a sealed link opens: one from a message, or one that names the person alone. */
export async function personOfLink(db: Db, token: string): Promise<string | null> {
  const { secret } = env();
  const leave = openLink(secret, token, 'leave');
  if (leave) return (await ownerOfSend(db, leave.sendId))?.person_id ?? null;
  const prefs = openLink(secret, token, 'prefs');
  return prefs ? ((await findPerson(db, { id: prefs.personId }))?.id ?? null) : null;
}

export interface Choices {
  readonly channels: readonly { readonly channel: Channel; readonly address: string; readonly isGiven: boolean }[];
  readonly topics: readonly (Topic & { readonly isWanted: boolean })[];
  readonly pausedUntil: Date | null;
  readonly zone: string;
  readonly now: Instant;
  /** whether openings and clicks of theirs are counted */
  readonly isTracked: boolean;
  readonly speech: Speech;
}

/** What somebody can choose, and how it stands. */
export async function choicesOf(db: Db, personId: string): Promise<Choices | null> {
  const row = await findPerson(db, { id: personId });
  if (!row) return null;
  const [store, consents, topics, declined] = await Promise.all([
    readStore(db),
    readConsents(db, row.id),
    readTopics(db),
    declinedTopics(db, row.id),
  ]);
  return {
    channels: CHANNELS.flatMap((channel) => {
      const address = addressOf(channel, row.attributes);
      return address ? [{ channel, address, isGiven: consents.some((one) => one.channel === channel && one.state === 'given') }] : [];
    }),
    topics: topics.map((topic) => ({ ...topic, isWanted: !declined.includes(topic.key) })),
    zone: store.zone,
    now: store.now,
    isTracked: isTracked(row.attributes, store.world),
    speech: speechOf(store, row.attributes),
    pausedUntil: row.paused_until && row.paused_until.getTime() > store.now ? row.paused_until : null,
  };
}

const pausesIn = (words: PageWords) =>
  [
    [0, words.noPause],
    [14, words.twoWeeks],
    [30, words.month],
    [90, words.threeMonths],
  ] as const;
const channelWording = ({ words, storeName }: Speech, channel: Channel): string =>
  ({ email: words.byEmail, sms: words.bySms, push: words.byPush })[channel](storeName);

const fieldset = (legend: string, boxes: readonly string[]) => `<fieldset><legend>${legend}</legend>${boxes.join('')}</fieldset>`;

/** The preference page; `says` confirms what was just stored. */
export function prefsPage(choices: Choices, says: string | null): string {
  const { speech } = choices;
  const { words, language, storeName } = speech;
  const locale = language === 'en' ? 'en-GB' : language;
  const date =
    choices.pausedUntil && new Intl.DateTimeFormat(locale, { dateStyle: 'long', timeZone: choices.zone }).format(choices.pausedUntil);
  // the end of an address is enough for its owner, and tells a stranger nothing
  const hidden = (address: string) =>
    address.includes('@') ? `${address.slice(0, 1)}…${address.slice(address.indexOf('@'))}` : `…${address.slice(-3)}`;
  const channels = choices.channels.map(({ channel, address, isGiven }) =>
    tickBox(`name="channel-${channel}"`, isGiven, `${e(channelWording(speech, channel))} <span class="hint">${e(hidden(address))}</span>`),
  );
  const topics = choices.topics.map(({ key, name, about, isWanted }) =>
    tickBox(`name="topic-${e(key)}"`, isWanted, `${e(name)}${about ? ` <span class="hint">${e(about)}</span>` : ''}`),
  );
  const pauses = [
    ...(date ? [['keep', words.untilAsIs(date)] as const] : []),
    ...pausesIn(words).map(([days, name]) => [String(days), name] as const),
  ];
  return publicPage(
    words.whatYouGet(storeName),
    `<h1>${e(words.whatYouGet(storeName))}</h1>${says ? `<p role="status"><b>${e(says)}</b></p>` : ''}
<form method="post">${fieldset(e(words.how), channels)}
${topics.length ? fieldset(e(words.whatAbout), topics) : ''}
${fieldset(e(words.whatWeSee), [tickBox('name="tracking"', choices.isTracked, e(words.mayCount(storeName)))])}
<label>${e(words.pause)}<select name="pause">${optionsOf(pauses, 'keep')}</select>
<small>${e(words.pauseMeans)}</small></label>
<button name="act" value="save">${e(words.save)}</button></form>
<h2>${e(words.enough)}</h2><form method="post"><button class="plain" name="act" value="leave">${e(words.leaveAll)}</button></form>
<p class="hint">${e(words.ordersStill)}</p>`,
    { language },
  );
}

/** Stores what was chosen; answers with the sentence that confirms it. */
export async function saveChoices(db: Db, personId: string, given: { readonly [name: string]: string }): Promise<string> {
  const choices = await choicesOf(db, personId);
  if (!choices) return '';
  const detail = { how: 'preference page', place: `${env().url}/prefs` };
  if (given.act === 'leave') {
    await savePreferences(
      db,
      personId,
      { channels: Object.fromEntries(choices.channels.map(({ channel }) => [channel, false])), topics: [], pausedUntil: null },
      detail,
    );
    return choices.speech.words.leftAll;
  }
  const topics = choices.topics.filter((topic) => given[`topic-${topic.key}`] === 'yes').map((topic) => topic.key);
  const days = pausesIn(choices.speech.words).find(([one]) => String(one) === given.pause)?.[0] ?? 0;
  const pausedUntil = given.pause === 'keep' ? (choices.pausedUntil?.getTime() ?? null) : days ? choices.now + days * DAY : null;
  // a channel that stands as it stood is not said again
  const channels = Object.fromEntries(
    choices.channels
      .filter(({ channel, isGiven }) => isGiven !== (given[`channel-${channel}`] === 'yes'))
      .map(({ channel, isGiven }) => [channel, !isGiven]),
  );
  await savePreferences(
    db,
    personId,
    { channels, topics, pausedUntil, ...(choices.isTracked !== (given.tracking === 'yes') && { tracking: given.tracking === 'yes' }) },
    {
      ...detail,
      wording:
        Object.keys(channels)
          .map((channel) => channelWording(choices.speech, channel as Channel))
          .join(' ') || null,
    },
  );
  return choices.speech.words.kept;
}

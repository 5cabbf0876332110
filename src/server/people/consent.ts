import { laterConsent, PLAIN_DETAIL, type ConsentDetail } from '@/core/people';
import { addressOf, CHANNELS, TRACKING, type Channel } from '@/core/rules';
import type { Instant } from '@/core/time';
import { nameCause } from '@/data/rules';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  changeAttributes,
  liftSuppression,
  lockPeople,
  readTopics,
  saveConsents,
  saveDeclined,
  setPause,
  softBounces,
  suppress,
  type ConsentChange,
} from '@/data/people';
import { readStore } from '@/data/store';
import { readSetting } from '@/data/access';

/** Reasons for which somebody's own word lifts a suppression: they asked for it, so they can take it back. */
const OWN_REASONS = ['unsubscribed'];

export interface ConsentWish {
  readonly channels: { readonly [channel in Channel]?: 'given' | 'withdrawn' };
  readonly detail: Partial<ConsentDetail>;
  /** the person's own word, as from their preference page: it lifts what they themselves asked for before */
  readonly isOwnWord?: boolean;
}

/** Records consent for a person at this moment of store time. Withdrawing email by their own word also suppresses the address. */
export async function changeConsent(
  db: Db,
  personId: string,
  wish: ConsentWish,
  given?: Sql,
): Promise<{ email: string | null; storeName: string } | null> {
  const work = async (trx: Sql) => {
    const store = await readStore(trx);
    const locked = (await lockPeople(trx, [personId])).get(personId);
    if (!locked) return null;
    const changes: ConsentChange[] = [];
    for (const channel of CHANNELS) {
      const state = wish.channels[channel];
      if (!state) continue;
      const known = locked.consents.get(channel) ?? null;
      const address = addressOf(channel, locked.row.attributes);
      if (known?.state !== state) {
        changes.push({
          personId,
          channel,
          state: laterConsent(known, { state, at: Math.max(store.now, (known?.at ?? 0) + 1) })!,
          detail: { ...PLAIN_DETAIL, ...wish.detail },
        });
      }
      if (address && wish.isOwnWord) {
        if (state === 'withdrawn') await suppress(trx, channel, address, 'unsubscribed', store.now);
        else await liftSuppression(trx, channel, address, OWN_REASONS);
      }
    }
    if (wish.detail.how) await nameCause(trx, wish.detail.how);
    await saveConsents(trx, changes);
    return { email: addressOf('email', locked.row.attributes), storeName: store.name };
  };
  return given ? work(given) : inTransaction(db, work);
}

/** Takes a person's consent to email away on their own word, and never writes to that address again. */
export function unsubscribe(db: Db, personId: string, how: string): Promise<{ email: string | null; storeName: string } | null> {
  return changeConsent(db, personId, { channels: { email: 'withdrawn' }, detail: { how }, isOwnWord: true });
}

/** Puts an address out of use, whoever's it is. */
export async function suppressAddress(db: Db, address: string, reason: 'bounced' | 'complained'): Promise<void> {
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    await nameCause(trx, reason);
    await suppress(trx, 'email', address, reason, now);
  });
}

/** Puts a person's address out of use after a hard bounce or a complaint. */
export async function suppressPerson(
  db: Db,
  personId: string,
  reason: 'bounced' | 'complained' | 'by hand',
  { channel = 'email', ...more }: { by?: string; note?: string; channel?: Channel } = {},
): Promise<void> {
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const locked = (await lockPeople(trx, [personId])).get(personId);
    const address = locked && addressOf(channel, locked.row.attributes);
    if (!address) return;
    await nameCause(trx, more.by ? `by ${more.by}` : reason);
    await suppress(trx, channel, address, reason, store.now, more);
  });
}

/** How many soft bounces in a row put an address out of use, where the store has set nothing else (common practice). */
export const SOFT_LIMIT = 3;

/** Counts a soft bounce; after so many in a row without a delivery the address is put out of use. */
export async function noteSoftBounce(db: Db, personId: string): Promise<void> {
  const limit = (await readSetting<number>(db, 'softBounceLimit')) ?? SOFT_LIMIT;
  if ((await softBounces(db, personId)) >= limit) await suppressPerson(db, personId, 'bounced', { note: `${limit} soft bounces in a row` });
}

/** What somebody has chosen on their preference page. */
export interface Preferences {
  readonly channels: { readonly [channel in Channel]?: boolean };
  /** topics they want to read about, of all that there are */
  readonly topics: readonly string[];
  /** until when nothing marketing is to come */
  readonly pausedUntil: Instant | null;
  /** whether openings and clicks are counted; left out where it was not said */
  readonly tracking?: boolean;
}

/** Stores what somebody chose on their preference page, with the wording they saw. */
export async function savePreferences(db: Db, personId: string, wanted: Preferences, detail: Partial<ConsentDetail>): Promise<void> {
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const topics = await readTopics(trx);
    const channels = Object.fromEntries(
      CHANNELS.flatMap((channel) =>
        wanted.channels[channel] === undefined ? [] : [[channel, wanted.channels[channel] ? 'given' : 'withdrawn']],
      ),
    ) as ConsentWish['channels'];
    await changeConsent(db, personId, { channels, detail, isOwnWord: true }, trx);
    await saveDeclined(
      trx,
      personId,
      topics.map((topic) => topic.key).filter((key) => !wanted.topics.includes(key)),
      store.now,
    );
    await setPause(trx, personId, wanted.pausedUntil);
    if (wanted.tracking !== undefined) {
      await nameCause(trx, detail.how ?? 'preference page');
      await changeAttributes(trx, [{ personId, attributes: { [TRACKING]: wanted.tracking } }], store.now);
    }
  });
}

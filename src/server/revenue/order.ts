import type { OrderCreditsView } from '@/core/api';
import { stepsOf } from '@/core/flows';
import { LEDGER_EVENTS, ledgerOf, touchesOf } from '@/core/orders';
import { CREDIT_MODELS, DEEDS, windowMs, type Contact, type RevenueSettings, type Touch } from '@/core/revenue';
import { DAY, HOUR, sayDuration, type Instant } from '@/core/time';
import type { Db } from '@/data/db';
import { readVersion } from '@/data/flows';
import { ownerOfOrder, sendsOfPerson } from '@/data/revenue';
import { loadEvents } from '@/data/rules';
import { readStore } from '@/data/store';
import { notFound } from '../http';
import { publicId } from '../people';

const LONGEST_MS = 90 * DAY;

/** An order with what it comes to, every message that reached the person before it, why each counted or did not, and its credits by each model. */
export async function orderCredits(db: Db, orderId: string): Promise<OrderCreditsView> {
  const personId = await ownerOfOrder(db, orderId.slice(0, 200));
  if (!personId) throw notFound(`order "${orderId.slice(0, 60)}"`);
  const store = await readStore(db);
  const events = (await loadEvents(db, [personId], LEDGER_EVENTS)).get(personId) ?? [];
  const sends = new Map((await sendsOfPerson(db, personId)).map((one) => [one.id, one]));
  const found = ledgerOf(events, store.currency, (id) => sends.has(id), store.revenue).find(({ order }) => order.orderId === orderId);
  if (!found?.money) throw notFound(`order "${orderId.slice(0, 60)}"`);
  const { order, money, bookings, contacts, credits } = found;
  const near = touchesOf(events).filter((touch) => sends.has(touch.sendId) && isNear(touch, money.placedAt));
  const counted = new Map(contacts.map((one) => [one.sendId, one]));
  const touches = await Promise.all(
    near.map(async (touch) => {
      const send = sends.get(touch.sendId)!;
      const step = stepsOf(await readVersion(db, send.flow_id, send.version)).find(({ id }) => id === send.step);
      const contact = counted.get(touch.sendId) ?? null;
      return {
        send: touch.sendId,
        flow: { key: send.flow, name: send.name },
        step: send.step,
        message: step && 'name' in step ? step.name : send.step,
        channel: send.channel,
        deliveredAt: isoOf(touch.deliveredAt),
        openedAt: isoOf(touch.openedAt),
        clickedAt: touch.clickedAt.map((at) => new Date(at).toISOString()).sort(),
        counts: contact && { did: contact.did, at: new Date(contact.at).toISOString() },
        says: contact ? sayContact(contact, money.placedAt) : sayNotCounted(touch, money.placedAt, store.revenue),
        credits: Object.fromEntries(
          CREDIT_MODELS.map((model) => [
            model,
            credits.filter((one) => one.sendId === touch.sendId && one.model === model).reduce((sum, { minor }) => sum + minor, 0),
          ]),
        ),
      };
    }),
  );
  touches.sort((a, b) => (a.counts?.at ?? a.deliveredAt ?? '').localeCompare(b.counts?.at ?? b.deliveredAt ?? ''));
  return {
    orderId,
    person: publicId({ id: personId, external_id: null }),
    placedAt: new Date(money.placedAt).toISOString(),
    currency: order.currency,
    value: order.valueMinor,
    discount: order.discountMinor,
    tax: money.taxMinor,
    shipping: money.shippingMinor,
    net: bookings.reduce((sum, { minor }) => sum + minor, 0),
    bookings: bookings.map(({ at, minor }) => ({ at: new Date(at).toISOString(), minor })),
    touches,
  };
}

const isoOf = (at: Instant | null): string | null => (at === null ? null : new Date(at).toISOString());
const isNear = (touch: Touch, placedAt: Instant): boolean =>
  [touch.deliveredAt, touch.openedAt, ...touch.clickedAt].some((at) => at !== null && at <= placedAt && at >= placedAt - LONGEST_MS);

/** How long before an order something was, in words, to the minute, hour or day. */
function sayBefore(ms: number): string {
  const hours = ms / HOUR;
  if (hours < 1) return `${sayDuration(`PT${Math.max(1, Math.round(hours * 60))}M`)} before`;
  return `${sayDuration(hours < 48 ? `PT${Math.round(hours)}H` : `P${Math.round(hours / 24)}D`)} before`;
}

const sayContact = ({ did, at }: Contact, placedAt: Instant): string => `${did} ${sayBefore(placedAt - at)}: it counts`;

/** Why a message has no share: what was done with it last, and for how long that counts. */
function sayNotCounted(touch: Touch, placedAt: Instant, settings: RevenueSettings): string {
  for (const did of DEEDS) {
    const moments = did === 'clicked' ? touch.clickedAt : did === 'opened' ? [touch.openedAt] : [touch.deliveredAt];
    const before = moments.filter((at): at is Instant => at !== null && at <= placedAt);
    if (!before.length) continue;
    const window = windowMs(settings, touch.channel ?? null, did);
    const when = `${did} ${sayBefore(placedAt - Math.max(...before))}`;
    return window
      ? `${when}: that counts for ${window / DAY === 1 ? 'one day' : `${window / DAY} days`}`
      : `only ${when}: that does not count`;
  }
  return 'nothing was done with it before the order';
}

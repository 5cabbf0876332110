import { allocate } from '../money';
import { compareIds, type Channel } from '../rules';
import { DAY, type Instant } from '../time';
import { DEEDS, usualRevenue, windowMs, type CreditModel, type Deed, type RevenueSettings } from './settings';

/** An order as the ledger sees it. Amounts in minor units of its currency. */
export interface OrderTotals {
  readonly orderId: string;
  readonly placedAt: Instant;
  readonly valueMinor: number;
  /** what has been paid back so far */
  readonly refundedMinor: number;
  readonly isCancelled: boolean;
}

/** One message that reached the person, and when they took it up. */
export interface Touch {
  readonly sendId: string;
  readonly channel?: Channel | null;
  readonly deliveredAt: Instant | null;
  readonly openedAt: Instant | null;
  /** every click, ascending */
  readonly clickedAt: readonly Instant[];
}

/** Why a message has a share in an order: the most telling that was done with it while that still counted, and when last. */
export interface Contact {
  readonly sendId: string;
  readonly did: Deed;
  readonly at: Instant;
}

export interface Credit {
  readonly sendId: string;
  readonly minor: number;
  readonly because: 'click' | 'open' | 'delivery';
}

/** What a deed is called where it stands as the reason of a credit. */
export const BECAUSE = { clicked: 'click', opened: 'open', delivered: 'delivery' } as const;

/** What is left of an order after refunds and cancellations, never below zero. */
export function netMinor(order: OrderTotals): number {
  if (order.isCancelled) return 0;
  return Math.max(0, order.valueMinor - Math.max(0, order.refundedMinor));
}

/** When a deed was done with a message: an opening counts only of what had arrived by the order. */
function momentsOf(touch: Touch, deed: Deed, placedAt: Instant): readonly Instant[] {
  switch (deed) {
    case 'clicked':
      return touch.clickedAt;
    case 'opened':
      return touch.openedAt !== null && touch.deliveredAt !== null && touch.deliveredAt <= placedAt ? [touch.openedAt] : [];
    case 'delivered':
      return touch.deliveredAt !== null ? [touch.deliveredAt] : [];
  }
}

/** The messages that have a share in an order, the earliest first; of several at one moment the lesser send id. */
export function contactsOf(placedAt: Instant, touches: readonly Touch[], settings: RevenueSettings): Contact[] {
  const contacts = touches.flatMap((touch): Contact[] => {
    for (const did of DEEDS) {
      const window = windowMs(settings, touch.channel ?? null, did);
      if (window <= 0) continue;
      const counted = momentsOf(touch, did, placedAt).filter((at) => at <= placedAt && at >= placedAt - window);
      if (counted.length) return [{ sendId: touch.sendId, did, at: Math.max(...counted) }];
    }
    return [];
  });
  return contacts.sort((a, b) => a.at - b.at || compareIds(a.sendId, b.sendId));
}

/** The parts that first and last message have by position, and what is left for those between (common practice). */
const ENDS = 0.4;
const BETWEEN = 0.2;

/**
 * How much each of some contacts, the earliest first, counts by a model: weights, at least one of them above nothing. Time decay halves
 * a contact for each half-life that it lies before the order; position gives 40 % to the first, 40 % to the last and 20 % to those
 * between, halves to two, and all to one.
 */
export function weightsOf(model: CreditModel, contacts: readonly Contact[], placedAt: Instant, settings: RevenueSettings): number[] {
  const only = (chosen: number) => contacts.map((_, index) => (index === chosen ? 1 : 0));
  const last = contacts.length - 1;
  switch (model) {
    case 'last-click': {
      const best = contacts.reduce((known, one, at) => {
        const [a, b] = [DEEDS.indexOf(contacts[known]!.did), DEEDS.indexOf(one.did)];
        return b <= a ? at : known;
      }, 0);
      return only(best);
    }
    case 'last-touch':
      return only(last);
    case 'first-touch':
      return only(0);
    case 'even':
      return contacts.map(() => 1);
    case 'time-decay':
      // from the latest one, so that none becomes nothing for being long ago
      return contacts.map(({ at }) => 2 ** -((contacts[last]!.at - at) / (settings.halfLifeDays * DAY)));
    case 'position':
      if (contacts.length <= 2) return contacts.map(() => 1);
      return contacts.map((_, index) => (index === 0 || index === last ? ENDS : BETWEEN / (contacts.length - 2)));
  }
}

/**
 * Credits an order to messages by a model: all of its net, shared by largest remainder, or none where nothing was done with any
 * message in time. The sum is the net or nothing, whatever the model.
 */
export function creditOrder(
  order: OrderTotals,
  touches: readonly Touch[],
  model: CreditModel = 'last-click',
  settings: RevenueSettings = usualRevenue(),
): Credit[] {
  return creditsOf(netMinor(order), contactsOf(order.placedAt, touches, settings), order.placedAt, model, settings);
}

/** An amount shared among contacts by a model; those that get nothing are left out. */
export function creditsOf(
  minor: number,
  contacts: readonly Contact[],
  placedAt: Instant,
  model: CreditModel,
  settings: RevenueSettings,
): Credit[] {
  if (!contacts.length || minor === 0) return [];
  const parts = allocate(minor, weightsOf(model, contacts, placedAt, settings));
  return contacts.flatMap(({ sendId, did }, index) => (parts[index] ? [{ sendId, minor: parts[index], because: BECAUSE[did] }] : []));
}

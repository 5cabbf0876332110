import * as z from 'zod';
import { CHANNELS, type Channel } from '../rules';
import { DAY } from '../time';

/** How an order's revenue is shared among the messages that reached somebody before it. */
export const CREDIT_MODELS = ['last-click', 'last-touch', 'first-touch', 'even', 'time-decay', 'position'] as const;
export type CreditModel = (typeof CREDIT_MODELS)[number];

/** What somebody did with a message, the most telling first. */
export const DEEDS = ['clicked', 'opened', 'delivered'] as const;
export type Deed = (typeof DEEDS)[number];

const days = z.number().min(0.01).max(90).nullable();
const windows = z.strictObject({ clicked: days, opened: days, delivered: days });

/**
 * How a store counts its revenue, `viatic.revenue/1`: the model that its figures are shown by, for how many days after what was done
 * with a message an order counts for it (null: not at all), what of an order counts, and when what is paid back counts.
 */
export const revenueSettingsSchema = z.strictObject({
  schema: z.literal('viatic.revenue/1'),
  model: z.enum(CREDIT_MODELS),
  windows: z.strictObject({ email: windows, sms: windows, push: windows } satisfies { [channel in Channel]: typeof windows }),
  /** after how many days a message counts half as much, by the model that forgets */
  halfLifeDays: z.number().min(0.1).max(90),
  /** what is left out of an order's value before it counts */
  without: z.strictObject({ tax: z.boolean(), shipping: z.boolean() }),
  /** whether an order counts as if no discount had been given */
  beforeDiscount: z.boolean(),
  /** the day on which what was paid back, or cancelled, is taken off: that of the order, or the day on which it happened */
  paidBack: z.enum(['on-order', 'on-day']),
});
export type RevenueSettings = z.infer<typeof revenueSettingsSchema>;

/** What holds where nothing is set (common practice: a click counts for a week, an opening for two days). */
export const usualRevenue = (): RevenueSettings => ({
  schema: 'viatic.revenue/1',
  model: 'last-click',
  windows: {
    email: { clicked: 7, opened: 2, delivered: null },
    sms: { clicked: 7, opened: 2, delivered: null },
    push: { clicked: 7, opened: 2, delivered: null },
  },
  halfLifeDays: 7,
  without: { tax: false, shipping: false },
  beforeDiscount: false,
  paidBack: 'on-order',
});

/** For how long after a deed an order counts for its message, in milliseconds; 0 where it does not. */
export const windowMs = (settings: RevenueSettings, channel: Channel | null, deed: Deed): number =>
  (settings.windows[channel ?? 'email'][deed] ?? 0) * DAY;

/** The longest time after an event about a message at which an order's credit can depend on it: on its delivery at any time after. */
export const reachOfEvent = (settings: RevenueSettings, type: string): number => {
  const deed = type.replace('message.', '') as Deed;
  return deed === 'delivered' ? Number.POSITIVE_INFINITY : Math.max(...CHANNELS.map((channel) => windowMs(settings, channel, deed)));
};

export const MODEL_WORDS: { readonly [model in CreditModel]: { readonly name: string; readonly says: string } } = {
  'last-click': { name: 'Last click', says: 'all of it to the message clicked last, else opened last, else delivered last' },
  'last-touch': { name: 'Last touch', says: 'all of it to the message with which something was done last' },
  'first-touch': { name: 'First touch', says: 'all of it to the message with which something was done first' },
  even: { name: 'Even', says: 'the same to each message' },
  'time-decay': { name: 'Time decay', says: 'more to the later ones: half as much for each half-life before the order' },
  position: { name: 'Position', says: '40 % to the first, 40 % to the last, 20 % shared by those between' },
};

/** What an amount of the ledger counts, in words: it stands beside every figure. */
export function sayCounted({ without, beforeDiscount, paidBack }: RevenueSettings): string {
  const left = [...(without.tax ? ['tax'] : []), ...(without.shipping ? ['shipping'] : [])];
  return [
    beforeDiscount ? 'before discounts' : 'after discounts',
    left.length ? `without ${left.join(' and ')}` : 'as paid, with tax and shipping',
    paidBack === 'on-day' ? 'refunds on their day' : 'refunds on the day of the order',
  ].join(', ');
}

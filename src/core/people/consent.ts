import * as z from 'zod';
import { CHANNELS, type Channel } from '../rules';

/** What is kept of a word on consent: how and where it was given, with what wording, and by whom it was entered. */
export interface ConsentDetail {
  /** how: "form sign-up", "checkout", "import of 3 March" */
  readonly how: string;
  /** where it was said: the page, the form, the file */
  readonly place: string | null;
  /** the words that were agreed to */
  readonly wording: string | null;
  /** who entered it, where it was not the person: a name of ours */
  readonly actor: string | null;
  /** how the box stood before the person touched it */
  readonly box: 'ticked' | 'unticked' | null;
  /** the country whose rule the box followed, ISO 3166 alpha-2 */
  readonly country: string | null;
}

export const PLAIN_DETAIL: ConsentDetail = { how: '', place: null, wording: null, actor: null, box: null, country: null };

/** One word on consent to one channel. */
export interface ConsentWord {
  readonly channel: Channel;
  readonly state: 'given' | 'withdrawn';
}

/** Consent as events carry it in `data.person.consent`: a yes or no for each channel, and what it rests on. */
export const consentSchema = z.looseObject({
  email: z.boolean().optional(),
  sms: z.boolean().optional(),
  push: z.boolean().optional(),
  wording: z.string().max(2000).nullish(),
  place: z.string().max(500).nullish(),
  how: z.string().max(200).nullish(),
  box: z.enum(['ticked', 'unticked']).nullish(),
  country: z.string().max(60).nullish(),
});

/** The words on consent in such an object, in the order of channels. */
export function consentWords(consent: z.infer<typeof consentSchema> | null | undefined): ConsentWord[] {
  if (!consent) return [];
  return CHANNELS.flatMap((channel) => {
    const said = consent[channel];
    return said === undefined ? [] : [{ channel, state: said ? ('given' as const) : ('withdrawn' as const) }];
  });
}

/**
 * Countries in which a box that is ticked beforehand is no consent: the EU (Court of Justice, C-673/17 of 1 October
 * 2019, and recital 32 of Regulation (EU) 2016/679), the rest of the EEA, the United Kingdom (retained law), and
 * Switzerland and Canada by their own acts (common practice; ask a lawyer).
 */
const NO_TICKED_BOX = new Set(
  'AT BE BG HR CY CZ DK EE FI FR DE GR HU IE IT LV LT LU MT NL PL PT RO SK SI ES SE IS LI NO GB CH CA'.split(' '),
);

/** Whether the law of a country lets a checkout box stand ticked beforehand. */
export const mayTickBeforehand = (country: string): boolean => !NO_TICKED_BOX.has(country);

export const boxRuleSchema = z.strictObject({ ticked: z.boolean(), wording: z.string().trim().min(1).max(1000) });
/** How the opt-in box of the checkout stands and reads: everywhere else, and by country (ISO 3166 alpha-2). */
export const checkoutBoxSchema = z
  .strictObject({
    everywhere: boxRuleSchema,
    countries: z.record(z.string().regex(/^[A-Z]{2}$/, 'is not a country of ISO 3166'), boxRuleSchema),
  })
  .superRefine((box, ctx) => {
    for (const [country, rule] of Object.entries(box.countries)) {
      if (rule.ticked && !mayTickBeforehand(country))
        ctx.addIssue({
          code: 'custom',
          path: ['countries', country, 'ticked'],
          message: 'must not be ticked beforehand there: the law takes no such box for consent',
        });
    }
  });
export type CheckoutBox = z.infer<typeof checkoutBoxSchema>;

/** How the box stands and reads for a shopper of a country. A default of "ticked" never counts where the law forbids it. */
export function boxFor(box: CheckoutBox, country: string | null): { ticked: boolean; wording: string } {
  const rule = (country && box.countries[country]) || box.everywhere;
  return { wording: rule.wording, ticked: rule.ticked && country !== null && mayTickBeforehand(country) };
}

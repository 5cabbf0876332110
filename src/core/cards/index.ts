import * as z from 'zod';

/** What has no room in its own document for what it is for: a card stands beside it. Flows, broadcasts and segments say it themselves. */
export const CARD_OF = ['message', 'offer', 'form', 'source', 'list', 'report'] as const;
export type CardOf = (typeof CARD_OF)[number];

const tag = z.string().trim().min(1, 'must not be empty').max(40);
export const cardInput = z.strictObject({
  /** what it is for */
  about: z.string().trim().max(1000).default(''),
  /** who looks after it: a name */
  owner: z.string().trim().max(120).default(''),
  tags: z
    .array(tag)
    .max(20)
    .default([])
    .transform((tags) => [...new Set(tags)]),
});
export type Card = z.infer<typeof cardInput>;

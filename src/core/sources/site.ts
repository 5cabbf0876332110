import * as z from 'zod';

/** A site of the store's, as its origin: `https://shop.example`. Without a scheme it is taken for https. */
export const siteSchema = z
  .string()
  .trim()
  .max(200)
  .transform((text, ctx) => {
    const address = text.includes('://') ? text : `https://${text}`;
    const url = URL.canParse(address) ? new URL(address) : null;
    if (url && (url.protocol === 'http:' || url.protocol === 'https:') && url.hostname) return url.origin;
    ctx.addIssue({ code: 'custom', message: 'is not the address of a site' });
    return z.NEVER;
  });

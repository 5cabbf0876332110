import { Webhook } from 'standardwebhooks';
import type { z } from 'zod';
import { Problem, problemsOf } from '../http';

/**
 * Reads a report that somebody who carries messages for us has signed (Standard Webhooks). A forged one, or one older than five
 * minutes, is a problem 401; one that is no such report a problem 422 with what is wrong.
 */
export function readSigned<T extends z.ZodType>(secret: string, headers: Headers, raw: string, schema: T): z.infer<T> {
  const report = schema.safeParse(verifySigned(secret, headers, raw));
  if (!report.success) throw new Problem(422, 'Not a report', 'The report was not taken.', problemsOf(report.error));
  return report.data;
}

/** Makes sure that something was signed with a secret, and lately; answers with it as JSON where it is such. */
export function verifySigned(secret: string, headers: Headers, raw: string): unknown {
  try {
    // the library reads what it has verified as JSON; what is none was signed all the same
    return new Webhook(secret).verify(raw, Object.fromEntries(headers));
  } catch (error) {
    if (error instanceof SyntaxError) return raw;
    throw new Problem(
      401,
      'Not signed',
      'The signature is missing, wrong or too old (Standard Webhooks: webhook-id, webhook-timestamp, webhook-signature).',
    );
  }
}

import { Webhook } from 'standardwebhooks';
import type { z } from 'zod';
import { Problem, problemsOf } from '../http';

/**
 * Reads a report that somebody who carries messages for us has signed (Standard Webhooks). A forged one, or one older than five
 * minutes, is a problem 401; one that is no such report a problem 422 with what is wrong.
 */
export function readSigned<T extends z.ZodType>(secret: string, headers: Headers, raw: string, schema: T): z.infer<T> {
  let payload: unknown;
  try {
    payload = new Webhook(secret).verify(raw, Object.fromEntries(headers));
  } catch {
    throw new Problem(
      401,
      'Not signed',
      'The signature is missing, wrong or too old (Standard Webhooks: webhook-id, webhook-timestamp, webhook-signature).',
    );
  }
  const report = schema.safeParse(payload);
  if (!report.success) throw new Problem(422, 'Not a report', 'The report was not taken.', problemsOf(report.error));
  return report.data;
}

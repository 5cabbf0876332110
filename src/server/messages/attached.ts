import type { Email } from '@/core/messages';
import { findFiles } from '@/data/public';
import type { Sql } from '@/data/db';
import type { Envelope } from './mail';

/** How much goes with one mail at most, in bytes. */
export const MOST_ATTACHED = 5_000_000;

/** The files that go with a message, or why it cannot go with them. */
export async function attachedTo(
  sql: Sql,
  email: Email,
): Promise<{ attachments: NonNullable<Envelope['attachments']> } | { problem: string }> {
  const keys = email.kind === 'service' ? (email.attachments ?? []) : [];
  if (!keys.length) return { attachments: [] };
  const files = await findFiles(sql, keys);
  const missing = keys.filter((key) => !files.has(key));
  if (missing.length) return { problem: `a file that goes with it is gone: ${missing[0]}` };
  const attachments = keys.map((key) => {
    const { name, bytes, type } = files.get(key)!;
    return { filename: name, content: bytes, contentType: type };
  });
  const size = attachments.reduce((sum, { content }) => sum + content.length, 0);
  return size > MOST_ATTACHED ? { problem: `what goes with it has ${(size / 1e6).toFixed(1)} MB, and at most 5 MB do` } : { attachments };
}

import * as z from 'zod';

/** What can be spoken of. */
export const SPOKEN_OF = ['flow', 'message', 'offer', 'segment'] as const;
export type SpokenOf = (typeof SPOKEN_OF)[number];

const words = z.string().trim().min(1, 'must not be empty').max(2000);
export const commentInput = z.strictObject({
  kind: z.enum(SPOKEN_OF),
  key: z.string().min(1).max(80),
  /** a part of it: a step of a flow */
  part: z.string().max(60).nullish(),
  text: words,
});
export const commentChange = z.union([z.strictObject({ text: words }), z.strictObject({ isDone: z.boolean() })]);

/** Of what somebody can be told, and how it is where they have not said otherwise. */
export const NOTICES = {
  mention: { says: 'Somebody names you in a comment', otherwise: 'mail' },
  comment: { says: 'Somebody comments on what you look after, or where you have said something', otherwise: 'here' },
  changed: { says: 'Somebody publishes, pauses or archives what you look after', otherwise: 'here' },
  asks: { says: 'A trial of yours waits for you to choose', otherwise: 'mail' },
} as const;
export type NoticeKind = keyof typeof NOTICES;
export const NOTICE_KINDS = Object.keys(NOTICES) as NoticeKind[];
export const WAYS = ['mail', 'here', 'off'] as const;
export type NoticeWay = (typeof WAYS)[number];
export const notifiedInput = z.strictObject(
  Object.fromEntries(NOTICE_KINDS.map((kind) => [kind, z.enum(WAYS)])) as {
    readonly [kind in NoticeKind]: z.ZodEnum<{ mail: 'mail'; here: 'here'; off: 'off' }>;
  },
);
export type Notified = z.infer<typeof notifiedInput>;

/** How somebody is told of each kind. */
export const notifiedOf = (said: Partial<Notified>): Notified =>
  Object.fromEntries(NOTICE_KINDS.map((kind) => [kind, said[kind] ?? NOTICES[kind].otherwise])) as Notified;

/**
 * Who is named in a text: `@` and a name of the team as it stands there, or a first name that only one of them has; without regard to
 * capitals. Longer names are looked for first, so that nobody is named by the beginning of another's.
 */
export function mentionsIn(text: string, names: readonly string[]): string[] {
  const firsts = names.map((name) => name.split(' ')[0]!.toLowerCase());
  const calls = names.flatMap((name, index) => [
    { name, call: name.toLowerCase() },
    ...(firsts.filter((one) => one === firsts[index]).length === 1 ? [{ name, call: firsts[index]! }] : []),
  ]);
  calls.sort((a, b) => b.call.length - a.call.length);
  const found = new Set<string>();
  const lower = text.toLowerCase();
  for (let at = lower.indexOf('@'); at >= 0; at = lower.indexOf('@', at + 1)) {
    // an address of somebody is no call
    if (at > 0 && /[\p{L}\p{N}._-]/u.test(lower[at - 1]!)) continue;
    const rest = lower.slice(at + 1);
    const named = calls.find(({ call }) => rest.startsWith(call) && !/^[\p{L}\p{N}]/u.test(rest.slice(call.length)));
    if (named) found.add(named.name);
  }
  return [...found];
}

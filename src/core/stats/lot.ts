import murmurhash from 'murmurhash';

/** What a lot is drawn for: a flow, a person, the step; and the cart or order, where each is to draw anew. */
export interface Drawn {
  readonly flow: string;
  readonly personId: string;
  readonly stepId: string;
  readonly key: string | null;
}

/**
 * Draws a lot: a number from 0 up to, not including, 1. The same are drawn the same, whoever draws and whenever: worker,
 * replay and rehearsal. Two steps, or two flows, draw independently of each other. MurmurHash3 (x86, 32 bits) of what it
 * is drawn for.
 */
export const lotOf = ({ flow, personId, stepId, key }: Drawn): number =>
  murmurhash.v3(JSON.stringify([flow, stepId, personId, key])) / 2 ** 32;

/** Which of some shares a lot falls to; shares need not add up to anything. */
export function drawnShare(lot: number, shares: readonly number[]): number {
  const total = shares.reduce((sum, share) => sum + share, 0);
  let left = lot * total;
  const index = shares.findIndex((share) => (left -= share) < 0);
  // no share at all, or the last crumb of a sum that is not exact
  return index >= 0 ? index : shares.findLastIndex((share) => share > 0);
}

interface Waiting<In, Out> {
  readonly one: In;
  readonly done: (out: Out) => void;
  readonly fail: (error: unknown) => void;
}

export interface Gathering<In> {
  /** how much of the whole one piece is */
  readonly sizeOf: (one: In) => number;
  /** a group is not filled beyond this; a piece that is larger goes alone */
  readonly most: number;
  /** how many groups are worked on at once */
  readonly atOnce: number;
  /** how much may wait; what comes beyond is refused with {@link TooMuch} */
  readonly mostWaiting: number;
  /** whether an error may come from one piece of a group, so that the others are worth another try */
  readonly isOneBad: (error: unknown) => boolean;
}

/** Refused because too much waits already: the caller does well to come again in a moment. */
export class TooMuch extends Error {}

/**
 * Lets pieces of work that are asked for at the same time share what each would cost alone: a transaction, its round
 * trips, its commit. Nothing waits for company: a piece that comes while fewer than `atOnce` groups are worked on starts
 * at once; what comes meanwhile goes together, in its order, as soon as one of them is done. A group that fails by one of
 * its pieces is done again piece by piece, so that none pays for another.
 */
export function gather<In, Out>(
  work: (group: readonly In[]) => Promise<readonly Out[]>,
  { sizeOf, most, atOnce, mostWaiting, isOneBad }: Gathering<In>,
): (one: In) => Promise<Out> {
  const waiting: Waiting<In, Out>[] = [];
  let sizeWaiting = 0;
  let busy = 0;

  const carryOut = async (group: readonly Waiting<In, Out>[]): Promise<void> => {
    try {
      const results = await work(group.map(({ one }) => one));
      group.forEach(({ done }, index) => done(results[index]!));
    } catch (error) {
      if (group.length > 1 && isOneBad(error)) for (const alone of group) await carryOut([alone]);
      else for (const { fail } of group) fail(error);
    }
  };
  const next = (): void => {
    if (busy >= atOnce || !waiting.length) return;
    let [count, size] = [0, 0];
    while (count < waiting.length && (count === 0 || size + sizeOf(waiting[count]!.one) <= most)) size += sizeOf(waiting[count++]!.one);
    busy += 1;
    sizeWaiting -= size;
    void carryOut(waiting.splice(0, count)).finally(() => {
      busy -= 1;
      next();
    });
  };
  return (one) =>
    new Promise<Out>((done, fail) => {
      if (sizeWaiting + sizeOf(one) > mostWaiting) return fail(new TooMuch('too much waits already'));
      waiting.push({ one, done, fail });
      sizeWaiting += sizeOf(one);
      next();
    });
}

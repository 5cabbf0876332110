import { slugOf } from '@/core/text';
import { constraintOf } from '@/data/db';

/**
 * Makes something under a key that is made of its name, such as `plant-letter`: with a number where that is taken
 * already, and `otherwise` where the name has no letter for one. Who makes the same at the same moment gets the next number.
 */
export async function withFreeKey<T>(
  name: string,
  otherwise: string,
  isTaken: (key: string) => Promise<boolean>,
  make: (key: string) => Promise<T>,
): Promise<T> {
  const base = slugOf(name) || otherwise;
  for (let n = 1; ; n++) {
    const key = n === 1 ? base : `${base}-${n}`;
    if (await isTaken(key)) continue;
    try {
      return await make(key);
    } catch (error) {
      if (n >= 1000 || !(constraintOf(error) || error instanceof Taken)) throw error;
    }
  }
}

/** Raised by who wanted to make something new and found it there. */
export class Taken extends Error {}

import { slugOf } from '@/core/text';

/** A key made of a name, such as `plant-letter`; with a number where that is taken already, and `otherwise` where the name has no letter for one. */
export async function freeKey(name: string, otherwise: string, isTaken: (key: string) => Promise<boolean>): Promise<string> {
  const base = slugOf(name) || otherwise;
  let key = base;
  for (let n = 2; await isTaken(key); n++) key = `${base}-${n}`;
  return key;
}

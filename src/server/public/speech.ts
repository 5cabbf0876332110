import { SAID_IN, tongueOf, type PageWords } from '@/core/tongue';
import type { Value } from '@/core/rules';
import type { Db } from '@/data/db';
import { findPerson } from '@/data/people';
import { readStore } from '@/data/store';

/** How a page speaks to somebody: in which language, and in whose name. */
export interface Speech {
  readonly language: string;
  readonly words: PageWords;
  readonly storeName: string;
}

/** In which language we speak to somebody: that on file about them, else the store's first; English where we know neither. */
export function spokenTo(attributes: { readonly [name: string]: Value }, languages: readonly string[]): string {
  const own = typeof attributes.language === 'string' ? attributes.language.trim().toLowerCase().split(/[-_]/)[0]! : '';
  return [own, languages[0] ?? ''].find((one) => SAID_IN.includes(one)) ?? 'en';
}

/** How a page speaks to whoever has these attributes. */
export function speechOf(
  { name, languages }: { readonly name: string; readonly languages: readonly string[] },
  attributes: { readonly [name: string]: Value },
): Speech {
  const language = spokenTo(attributes, languages);
  return { language, words: tongueOf(language).page, storeName: name };
}

/** How a page speaks to a person, or to somebody unknown. */
export async function speechFor(db: Db, personId: string | null): Promise<Speech> {
  const [store, person] = await Promise.all([readStore(db), personId ? findPerson(db, { id: personId }) : null]);
  return speechOf(store, person?.attributes ?? {});
}

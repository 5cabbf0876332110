import { compileLetter, fillLetter, type Found } from '@/core/letters';
import { directionOf, plainBrand, type Brand, type Email, type Links, type Personal, type Rendered } from '@/core/messages';
import { press } from './press';

/** A letter laid out and filled in, for tests. */
export async function rendered(
  email: Email,
  personal: Personal,
  links: Links,
  { brand = plainBrand(personal.store.name || 'Store'), found = {} }: { brand?: Brand; found?: Found } = {},
): Promise<Rendered> {
  return fillLetter(
    await compileLetter(email, brand, press, directionOf(email.language ?? personal.store.languages?.[0] ?? 'en')),
    personal,
    links,
    found,
  );
}

export const LINKS: Links = {
  unsubscribeUrl: 'https://v.example/leave/1',
  preferencesUrl: 'https://v.example/prefs/1',
  pixelUrl: 'https://v.example/seen/1',
  track: (url: string) => `https://v.example/go/${encodeURIComponent(url)}`,
  rate: (block, value) => `https://v.example/rate/${block}/${value}`,
};

import iso from 'i18n-iso-countries';

const codes: readonly string[] = Object.keys(iso.getAlpha2Codes()).sort();
const plain = (text: string): string =>
  text
    .normalize('NFD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, ' ')
    .trim();

/** Everyday names that the standard's own do not cover. */
const ALIASES: { readonly [name: string]: string } = {
  usa: 'US',
  'u s a': 'US',
  'u s': 'US',
  america: 'US',
  'united states of america': 'US',
  uk: 'GB',
  'u k': 'GB',
  'great britain': 'GB',
  britain: 'GB',
  england: 'GB',
  scotland: 'GB',
  wales: 'GB',
  holland: 'NL',
  'the netherlands': 'NL',
  nederland: 'NL',
  deutschland: 'DE',
  'republic of ireland': 'IE',
  eire: 'IE',
  czechia: 'CZ',
  'czech republic': 'CZ',
  'south korea': 'KR',
  russia: 'RU',
  uae: 'AE',
};

let byName: Map<string, string> | null = null;
function names(): Map<string, string> {
  if (byName) return byName;
  byName = new Map(Object.entries(ALIASES));
  for (const language of ['en', 'nl', 'de', 'fr', 'es', 'it', 'da', 'sv', 'pl', 'pt']) {
    const display = new Intl.DisplayNames([language], { type: 'region', fallback: 'none' });
    for (const code of codes) {
      const name = display.of(code);
      if (name && !byName.has(plain(name))) byName.set(plain(name), code);
    }
  }
  return byName;
}

/** The ISO 3166 alpha-2 code of a country however it is spelled: `US`, `usa`, `United States`, `Verenigde Staten`; else null. */
export function countryCode(text: string): string | null {
  const trimmed = text.trim();
  if (trimmed.length > 60) return null;
  const upper = trimmed.toUpperCase();
  if (codes.includes(upper)) return upper;
  return names().get(plain(trimmed)) ?? null;
}

const english = new Intl.DisplayNames(['en'], { type: 'region', fallback: 'code' });
/** A country's English name, from its code. */
export const sayCountry = (code: string): string => english.of(code) ?? code;
/** All countries by code, in order of their English names. */
export const countries = (): readonly { readonly code: string; readonly name: string }[] =>
  codes.map((code) => ({ code, name: sayCountry(code) })).sort((a, b) => a.name.localeCompare(b.name));

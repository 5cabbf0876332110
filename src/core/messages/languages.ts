import * as z from 'zod';

/** Languages that are offered by name, by their codes (ISO 639-1); any other can be written as its code. */
export const LANGUAGES: readonly string[] =
  'ar bg bn ca cs cy da de el en es et fa fi fr ga he hi hr hu id is it ja ko lt lv mt nb nl pl pt ro ru sk sl sv th tr uk ur vi zh'.split(
    ' ',
  );

/** The code of a language: two or three small letters (ISO 639). */
export const languageSchema = z.string().regex(/^[a-z]{2,3}$/, 'is not the code of a language, such as nl');

const names = new Intl.DisplayNames('en', { type: 'language' });
/** What a language is called in English; its code, where it has no name. */
export function nameOfLanguage(code: string): string {
  try {
    return names.of(code) ?? code;
  } catch {
    return code;
  }
}

/** The language that somebody means by its name or code; null where there is none. */
export function languageSaid(said: string): string | null {
  const word = said.trim().toLowerCase();
  return LANGUAGES.find((one) => one === word || nameOfLanguage(one).toLowerCase() === word) ?? (/^[a-z]{2,3}$/.test(word) ? word : null);
}

/** Languages whose usual script runs from right to left (common practice; of the scripts by Unicode Standard Annex 9). */
const FROM_THE_RIGHT = new Set('ar ckb dv fa he ks ku ps sd ug ur yi'.split(' '));

/** How the lines of a language run. */
export type Direction = 'ltr' | 'rtl';
export const directionOf = (language: string): Direction => (FROM_THE_RIGHT.has(language) ? 'rtl' : 'ltr');

/** By which rules numbers and amounts are written in a language: a tag of BCP 47. English is that of Ireland, as on our screens. */
export const localeOf = (language: string): string => (language === 'en' ? 'en-IE' : language);

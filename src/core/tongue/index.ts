import { da } from './da';
import { de } from './de';
import { en } from './en';
import { es } from './es';
import { fr } from './fr';
import { it } from './it';
import { nb } from './nb';
import { nl } from './nl';
import { pt } from './pt';
import { sv } from './sv';
import type { Tongue } from './tongue';

export type { LetterWords, PageWords, Tongue } from './tongue';

const TONGUES: { readonly [language: string]: Tongue } = { en, nl, de, fr, es, it, pt, da, sv, nb };

/** What we say in a language (ISO 639-1); in English where we do not know it. */
export const tongueOf = (language: string): Tongue => (Object.hasOwn(TONGUES, language) ? TONGUES[language]! : en);
/** The languages in which we say by ourselves what we say. */
export const SAID_IN: readonly string[] = Object.keys(TONGUES);

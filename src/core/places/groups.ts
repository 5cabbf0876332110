import iso from 'i18n-iso-countries';
import english from 'i18n-iso-countries/langs/en.json';
import { countryCode } from './country';

iso.registerLocale(english);

/** The countries of the European Union since 1 February 2020 (europa.eu, country profiles), by ISO 3166 code. */
const EU = 'AT BE BG CY CZ DE DK EE ES FI FR GR HR HU IE IT LT LU LV MT NL PL PT RO SE SI SK'.split(' ');
/** Countries that every store can ask for together: the European Union, and with Iceland, Liechtenstein and Norway the European Economic Area. */
export const COUNTRY_GROUPS: { readonly [key: string]: { readonly name: string; readonly codes: readonly string[] } } = {
  EU: { name: 'the EU', codes: EU },
  EEA: { name: 'the EEA', codes: [...EU, 'IS', 'LI', 'NO'] },
};

/** A group of countries of the store's own. */
export interface CountryGroup {
  readonly key: string;
  readonly name: string;
  /** ISO 3166 codes of two letters */
  readonly codes: readonly string[];
}

const spelled = new Map<string, readonly string[]>();
const namesOf = (code: string): readonly string[] => iso.getName(code, 'en', { select: 'all' }) ?? [];
let shared: ReadonlySet<string> | null = null;
/** Names that more than one country has, which tell of none: Congo. */
function sharedNames(): ReadonlySet<string> {
  const once = new Set<string>();
  return (shared ??= new Set(
    Object.keys(iso.getAlpha2Codes()).flatMap((code) => namesOf(code).filter((name) => once.has(name) || !once.add(name))),
  ));
}

/**
 * The ways in which a country counts as named: its two- and three-letter codes and its English names (ISO 3166-1, as
 * `i18n-iso-countries` has it), each as it stands, in capitals and in small letters.
 */
export function spellingsOf(code: string): readonly string[] {
  let known = spelled.get(code);
  if (!known) {
    const names = [code, iso.alpha2ToAlpha3(code) ?? code, ...namesOf(code).filter((name) => !sharedNames().has(name))];
    known = [...new Set(names.flatMap((name) => [name, name.toUpperCase(), name.toLowerCase()]))];
    spelled.set(code, known);
  }
  return known;
}

/** The codes of a list of countries as somebody writes it, with what of it is no country. */
export function readCountries(text: string): { codes: string[]; unknown: string[] } {
  const codes: string[] = [];
  const unknown: string[] = [];
  for (const one of text
    .split(/[,;\n]/)
    .map((part) => part.trim())
    .filter(Boolean)) {
    const code = countryCode(one);
    if (code === null) unknown.push(one);
    else if (!codes.includes(code)) codes.push(code);
  }
  return { codes, unknown };
}

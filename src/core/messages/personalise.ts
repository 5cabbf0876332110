import { Liquid, type Template } from 'liquidjs';
import type { FactEvent, Value } from '../rules';
import { sayMoney, toMinor, isCurrency } from '../money';
import { localeOf } from './languages';

/** What placeholders can name: the person's attributes, the event that started the run, and the store. */
export interface Personal {
  readonly person: { readonly [name: string]: Value };
  readonly event: FactEvent['properties'];
  readonly store: { readonly name: string; readonly address: string; readonly languages?: readonly string[] };
  /** in which the message is written, where that is known (ISO 639-1) */
  readonly language?: string;
  /** what earlier steps of the flow were answered, by step */
  /** the code that the run has been issued: its letters, up to when it counts, and what it gives, in words */
  readonly offer?: { readonly code: string; readonly expires: string; readonly terms: string };
  readonly answers?: { readonly [step: string]: { readonly [name: string]: Value } };
  /** which conditions of the message hold, by their id: {% if holds.c1 %} … {% endif %} */
  readonly holds?: { readonly [condition: string]: true };
}

/** Signs of the private use area by which letters mark where their own markup stands: nobody's value holds them. */
const MARKS = /[\uE000-\uE003]/g;
/** A text without the signs that are ours. */
export const withoutMarks = (text: string): string => text.replace(MARKS, '');
const printed = (value: unknown): string =>
  value === undefined || value === null ? '' : Array.isArray(value) ? value.map(printed).join('') : withoutMarks(String(value));

// a placeholder can only read what it is given: no files, no loops that never end, nothing inherited
const reader = new Liquid({
  templates: {},
  ownPropertyOnly: true,
  strictFilters: true,
  strictVariables: false,
  parseLimit: 100_000,
  renderLimit: 200,
  memoryLimit: 1_000_000,
  outputEscape: printed,
});
// what would bring another file in is no word of ours: it is told where the message is written, not when it goes out
for (const tag of ['include', 'render', 'layout', 'block']) delete reader.tags[tag];
reader.registerFilter('fallback', (value: unknown, stand: unknown) =>
  value === undefined || value === null || String(value).trim() === '' ? stand : value,
);
reader.registerFilter('with', (value: unknown, name: unknown, content: unknown) => {
  // adds a parameter to an address, whether it has some already or not
  if (typeof value !== 'string' || !URL.canParse(value)) return value ?? '';
  if (content === undefined || content === null || content === '') return value;
  const url = new URL(value);
  url.searchParams.set(String(name), String(content));
  return url.href;
});
reader.registerFilter('money', function (value: unknown, currency: unknown) {
  if (typeof value !== 'number' || typeof currency !== 'string' || !isCurrency(currency)) return '';
  const { language, store } = this.context.environments as Partial<Personal>;
  return sayMoney({ currency, minor: toMinor(value, currency) }, localeOf(language ?? store?.languages?.[0] ?? 'en'));
});

const parsed = new Map<string, Template[]>();
function parse(text: string): Template[] {
  let template = parsed.get(text);
  if (!template) {
    template = reader.parse(text);
    if (parsed.size > 2000) parsed.clear();
    parsed.set(text, template);
  }
  return template;
}

/** Fills the placeholders of a text in for one person. The result is plain text: escape it where it is put into HTML. */
export function personalise(text: string, personal: Personal): string {
  if (!text.includes('{')) return text;
  return String(reader.renderSync(parse(text), personal));
}

/** Says what is wrong with the placeholders of a text, or null. */
export function placeholderProblem(text: string): string | null {
  try {
    parse(text);
    return null;
  } catch (error) {
    return `the placeholder cannot be read: ${(error as Error).message.split('\n')[0]}`;
  }
}

const PLACEHOLDER = /\{\{-?\s*([\p{L}\p{N}_.[\]'"]+)\s*((?:\|[^}]*)?)-?\}\}/gu;

/** Placeholders of the person that have no fallback: they print nothing when the value is missing ("Hi ,"). */
export function withoutFallback(text: string): string[] {
  const bare = [...text.matchAll(PLACEHOLDER)].filter(
    ([, path, filters]) => path!.startsWith('person.') && !/\|\s*fallback\s*:/.test(filters!),
  );
  return [...new Set(bare.map(([, path]) => path!))];
}

const LONE = /^\{\{\s*((?:person|event|answers|store)(?:\.[\p{L}\p{N}_-]+)+)\s*\}\}$/u;

/** The value itself that a text stands for which is nothing but one plain placeholder: null where it is missing; undefined for any other text. */
export function valueOfPlaceholder(text: string, personal: Personal): Value | undefined {
  const path = LONE.exec(text.trim())?.[1]?.split('.');
  if (!path) return undefined;
  let here: unknown = personal;
  for (const name of path) {
    if (here === null || typeof here !== 'object' || !Object.hasOwn(here, name)) return null;
    here = (here as { readonly [name: string]: unknown })[name];
  }
  return (here ?? null) as Value;
}

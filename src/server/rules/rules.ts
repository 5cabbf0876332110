import { countInput, ruleInput, rulePersonInput, type CountExample, type CountView, type ExplainView, type SaysView } from '@/core/api';
import { CHANNELS, evaluate, partsOf, sayRule, verdict, type Channel } from '@/core/rules';
import { asksOfRules, factsOfRules } from '@/core/flows';
import type { Db } from '@/data/db';
import { countNarrowing, fewPeople, samplePeople } from '@/data/people';
import { loadFacts, namedOnFile, type Compiled } from '@/data/rules';
import { readStore } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';
import { forLists, nameOf, person, publicId } from '../people';

const EXAMPLES = 10;

/** Says a rule as a sentence, or what is wrong with it and where: for whoever writes one. */
export function sayRuleOf(body: unknown): SaysView {
  const read = ruleInput.safeParse(body);
  return read.success ? { says: sayRule(read.data.rule), problems: [] } : { says: null, problems: problemsOf(read.error) };
}

/** Looks at a rule for one person: whether it holds, until when at least, and why. */
export async function explainRule(db: Db, body: unknown): Promise<ExplainView> {
  const read = rulePersonInput.safeParse(body);
  if (!read.success) throw new Problem(422, 'Not a rule', 'There is nothing to explain.', problemsOf(read.error));
  const { rule } = read.data;
  const store = await readStore(db);
  forLists(rule, store);
  const row = await person(db, read.data.person);
  const events = asksOfRules([rule], store.now, store.zone);
  const facts = (await loadFacts(db, new Map([[row.id, { events }]]), factsOfRules([rule]))).get(row.id);
  if (!facts) throw notFound(`person "${read.data.person.slice(0, 80)}"`);
  const { holds, until, because } = evaluate(rule, facts, store, { currency: store.currency, names: await namedOnFile(db) });
  return { holds, until: until === null ? null : new Date(until).toISOString(), because };
}

/** Of how many people at least a sample is taken where one is asked for, and how many are in it. */
const MANY = 50_000;
const SAMPLE = 4_000;

/**
 * Counts who matches a rule, who of them can be reached on each channel, and what each part of an "all of" leaves of those
 * before it; with some of them as examples, and some who fall out at the last part. Where it may be a sample and there are
 * very many people, that is one of 4,000 drawn evenly: its error is said.
 */
export async function countRule(db: Db, body: unknown): Promise<CountView> {
  const read = countInput.safeParse(body);
  if (!read.success) throw new Problem(422, 'Not a rule', 'Nobody was counted.', problemsOf(read.error));
  const { rule } = read.data;
  const store = await readStore(db);
  const parts = 'all' in rule ? partsOf(rule)! : [rule];
  const reach = Object.fromEntries(
    CHANNELS.map((channel) => [channel, forLists({ test: 'consent', channel, reachable: true }, store, { prefix: `${channel}_` })]),
  ) as Record<Channel, Compiled>;
  const sample = read.data.sample ? await samplePeople(db, SAMPLE, MANY) : null;
  const conditions = parts.map((part, place) => forLists(part, store, { prefix: `n${place}_`, isWhole: !sample }));
  const counted = await countNarrowing(db, conditions, reach, sample?.ids ?? null);
  const examples = await fewPeople(db, counted.some.slice(0, EXAMPLES));
  const nearly = parts.length > 1 ? await fewPeople(db, counted.nearly.slice(0, EXAMPLES / 2)) : [];
  const events = asksOfRules(parts, store.now, store.zone);
  const seen = [...examples, ...nearly];
  const facts = await loadFacts(db, new Map(seen.map(({ id }) => [id, { events }])), factsOfRules(parts));
  const shown = (row: (typeof seen)[number]): CountExample => {
    const known = facts.get(row.id);
    return {
      id: publicId(row),
      name: nameOf(row.attributes),
      email: row.email,
      holds: parts.map((part) => known !== undefined && verdict(part, known, store).holds),
    };
  };
  const names = await namedOnFile(db);
  const scale = sample ? sample.everybody / Math.max(1, counted.everybody) : 1;
  const all = (n: number) => Math.round(n * scale);
  const left = counted.left.at(-1) ?? counted.everybody;
  return {
    everybody: sample?.everybody ?? counted.everybody,
    count: all(left),
    isExact: !sample,
    plusMinus: sample ? errorOf(left, counted.everybody, sample.everybody) : null,
    reachable: { email: all(counted.reachable.email), sms: all(counted.reachable.sms), push: all(counted.reachable.push) },
    narrowing: parts.map((part, place) => ({ says: sayRule(part, { currency: store.currency, names }), count: all(counted.left[place]!) })),
    examples: examples.map(shown),
    nearly: nearly.map(shown),
  };
}

/**
 * How far the count of a sample may be off for everybody, nineteen times in twenty: half the width of Wilson's interval
 * (E. B. Wilson 1927, as in Newcombe 1998), which is sound for small shares, too.
 */
export function errorOf(hits: number, size: number, everybody: number): number {
  if (!size) return everybody;
  const z = 1.959964;
  const share = hits / size;
  const half = (z / (1 + z ** 2 / size)) * Math.sqrt((share * (1 - share)) / size + z ** 2 / (4 * size ** 2));
  return Math.ceil(half * everybody);
}

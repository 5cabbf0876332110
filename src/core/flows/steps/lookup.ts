import * as z from 'zod';
import { propertyName, sayName, valueAt, type Value } from '../../rules';
import { countryCode } from '../../places';
import { rowKeyOf, tableKey } from '../../tables';
import type { Arm } from '../document';
import { name, stepId } from '../parts';
import { askingArms } from './asked';
import type { Here, StepKind } from './kind';

/** What a row is looked up by: an attribute of the person, or a property of what started the run or of an earlier answer. */
export type LookupBy = { attribute: string } | { from: string } | { answer: string; property: string };

/** Looks a row of a table up; its fields can be asked for and written further on, as those of an answer. With arms for found and not. */
export interface LookupStep {
  id: string;
  kind: 'lookup';
  name: string;
  /** the key of the table */
  table: string;
  by: LookupBy;
  /** two ways on: for those for whom there is a row, and for all others */
  arms?: Arm[];
}

const path = z.string().min(1).max(120);
export const lookupSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('lookup'),
    name,
    table: tableKey,
    by: z.union([
      z.strictObject({ attribute: propertyName }),
      z.strictObject({ from: path }),
      z.strictObject({ answer: stepId, property: path }),
    ]),
    arms: z.array(arm).length(2, 'needs two arms: one for who has a row, one for who has none').optional(),
  });

const soughtOf = (by: LookupBy, here: Here): Value | undefined => {
  if ('attribute' in by) return valueAt(here.facts.attributes, by.attribute);
  if ('from' in by) return valueAt(here.about.data, by.from);
  return valueAt(here.view.answers?.[by.answer]?.data ?? {}, by.property);
};

const isCountry = (by: LookupBy): boolean =>
  /(^|\.)country$/i.test('attribute' in by ? by.attribute : 'from' in by ? by.from : by.property);

/** What a row is looked up by, in words: "their breed". */
export const sayLookupBy = (by: LookupBy): string =>
  'attribute' in by
    ? `their ${sayName(by.attribute)}`
    : 'from' in by
      ? `${sayName(by.from)} of what started it`
      : `${sayName(by.property)} of what came`;

export const lookupKind: StepKind<LookupStep> = {
  actsOnce: true,
  run(step, here) {
    const sought = soughtOf(step.by, here);
    const rows = here.tables.get(step.table)?.rows;
    const said = rowKeyOf(sought);
    // a country is spelled in many ways: where its own is not found, its code is
    const code = typeof sought === 'string' && isCountry(step.by) ? rowKeyOf(countryCode(sought) ?? undefined) : null;
    const key = said !== null && code !== null && !rows?.has(said) && rows?.has(code) ? code : said;
    const row = key === null ? undefined : rows?.get(key);
    if (row) here.answer({ at: here.now, data: row });
    here.note(row ? 'found' : 'not-found', { saw: { table: step.table, sought: key } });
    const arm = step.arms?.[row ? 0 : 1];
    return arm ? { to: 'arm', arm } : { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'lookup', name: 'Look up', table: 'table', by: { attribute: 'country' } }),
  says: (step) => `Look up “${step.name}”`,
  saysNext: (step) => `Look up “${step.name}”`,
  needs: (step) => ('attribute' in step.by ? [{ kind: 'attribute', name: step.by.attribute }] : []),
  ...askingArms,
  withArms: (step, arms) => (step.arms ? { ...step, arms: [...arms] } : step),
  names: (step) => [{ kind: 'table', key: step.table }],
  leavesAnswer: true,
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.table === was.table ? [] : [`“${is.name}” looks in ${is.table} instead of ${was.table}`]),
    ...(JSON.stringify(is.by) === JSON.stringify(was.by)
      ? []
      : [`“${is.name}” looks by ${sayLookupBy(is.by)} instead of ${sayLookupBy(was.by)}`]),
  ],
};

import * as z from 'zod';
import { COUNTRY_GROUPS } from '../../places';
import { valueAt } from '../facts';
import { propertyName, type Value } from '../value';
import { sayName, sayNamed, sayValue } from '../wording';
import { codesOf, namesOfCountries, NO_WORLD } from '../world';
import type { TestKind } from './kind';

export const countrySchema = z.strictObject({
  test: z.literal('country'),
  name: propertyName,
  /** EU, EEA, or the key of a group of the store's own */
  group: z.string().min(1).max(60),
  member: z.boolean(),
});

/** Whether an attribute names a country of a group. */
export const countryKind: TestKind<z.infer<typeof countrySchema>> = {
  look(test, facts, view) {
    const value = valueAt(facts.attributes, test.name);
    const codes = codesOf(test.group, view.world ?? NO_WORLD);
    const isIn = typeof value === 'string' && codes !== null && namesOfCountries(codes).has(value);
    return { holds: isIn === test.member, until: null, saw: value };
  },
  needs: (test) => [{ kind: 'attribute', name: test.name }],
  says(test, wording) {
    const group = COUNTRY_GROUPS[test.group]?.name ?? `the group ${sayNamed('country group', test.group, wording)}`;
    return `${wording.isWhose ? 'whose ' : ''}${sayName(test.name)} is ${test.member ? '' : 'not '}in ${group}`;
  },
  saySaw: (test, { saw }) => `${sayName(test.name)} was ${sayValue(saw as Value | undefined)}`,
};

import * as z from 'zod';
import { distanceKm, MILE_KM, placeKey, type Point } from '../../places';
import { valueAt, type Facts } from '../facts';
import { propertyName, type Value } from '../value';
import type { TestKind } from './kind';

export const nearSchema = z.strictObject({
  test: z.literal('near'),
  /** the attribute that says where somebody is: a place; where it is none, their postcode and country are looked up */
  name: propertyName,
  place: z.strictObject({
    name: z.string().max(80).optional(),
    latitude: z.number().min(-90).max(90),
    longitude: z.number().min(-180).max(180),
  }),
  within: z.number().positive().max(20_100),
  unit: z.enum(['km', 'miles']),
  is: z.boolean(),
});

const asPoint = (value: Value | undefined): Point | null => {
  if (value === null || typeof value !== 'object' || Array.isArray(value)) return null;
  const { latitude, longitude } = value as { readonly [name: string]: Value };
  return typeof latitude === 'number' && typeof longitude === 'number' ? { latitude, longitude } : null;
};

/** Where somebody is: by an attribute, else by their postcode and the two-letter code of their country. */
export function whereIs(name: string, { attributes, places }: Pick<Facts, 'attributes' | 'places'>): Point | null {
  const { postcode, country } = attributes;
  return (
    asPoint(valueAt(attributes, name)) ??
    (typeof postcode === 'string' && typeof country === 'string' ? (places[placeKey(country, postcode)] ?? null) : null)
  );
}

/** Whether somebody is within so many kilometres or miles of a place. Where they are has to be known for either answer. */
export const nearKind: TestKind<z.infer<typeof nearSchema>> = {
  look(test, facts) {
    const point = whereIs(test.name, facts);
    if (!point) return { holds: false, until: null, saw: null };
    const far = distanceKm(point, test.place) / (test.unit === 'km' ? 1 : MILE_KM);
    return { holds: far <= test.within === test.is, until: null, saw: far };
  },
  needs: (test) => [
    ...[test.name, 'postcode', 'country'].map((name) => ({ kind: 'attribute' as const, name })),
    { kind: 'place', name: 'postcode' },
  ],
  says: ({ place, within, unit, is }) =>
    `is ${is ? 'within' : 'further than'} ${within} ${unit}${is ? '' : ' away'} ${is ? 'of' : 'from'} ${place.name ?? `${place.latitude}, ${place.longitude}`}`,
  saySaw: (test, { saw }) => (saw === null ? 'where they are was not known' : `it was ${(saw as number).toFixed(1)} ${test.unit} away`),
};

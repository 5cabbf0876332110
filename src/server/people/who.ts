import type { Value } from '@/core/rules';
import type { Db } from '@/data/db';
import { findPerson, type PersonRow } from '@/data/people';
import { notFound } from '../http';

/** Finds a person by external id, or by our own number written as `~123` for those who have none. */
export async function person(db: Db, id: string): Promise<PersonRow> {
  const found = await findPerson(db, id.startsWith('~') ? { id: id.slice(1) } : { externalId: id });
  if (!found) throw notFound(`person "${id.slice(0, 80)}"`);
  return found;
}

/** The name under which a person is addressed in the API and in links. */
export function publicId(row: { id: string; external_id: string | null }): string {
  return row.external_id !== null && !row.external_id.startsWith('~') ? row.external_id : `~${row.id}`;
}

/** First and last name as far as they are known, or null. */
export function nameOf(attributes: { readonly [name: string]: Value }): string | null {
  return (
    [attributes.firstName, attributes.lastName].filter((part): part is string => typeof part === 'string' && part !== '').join(' ') || null
  );
}

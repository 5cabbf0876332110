import type { TypeDetail, TypeView, UseView } from '@/core/api';
import { eventUses, type FlowDocument } from '@/core/flows';
import { sayName, type WhereTest } from '@/core/rules';
import { segmentUses } from '@/core/segments';
import { findType, foldArrivals, listTypes, LONGEST_VALUE, MOST_VALUES, seenValues, trimValues, typeProperties } from '@/data/sources';
import type { Db } from '@/data/db';
import { documentsNow } from '@/data/flows';
import { readSegments, type SegmentRow } from '@/data/segments';
import { notFound } from '../http';

interface Named {
  readonly key: string;
  readonly name: string;
  readonly document: FlowDocument;
}

interface Users {
  readonly flows: readonly Named[];
  readonly segments: readonly Pick<SegmentRow, 'key' | 'document'>[];
}

const usersOf = async (db: Db): Promise<Users> => {
  const [flows, segments] = await Promise.all([documentsNow(db), readSegments(db)]);
  return { flows, segments };
};

function usesOf({ flows, segments }: Users, type: string): UseView[] {
  return [
    ...flows.flatMap((flow) =>
      eventUses(flow.document)
        .filter((use) => use.type === type)
        .map((use) => ({ kind: 'flow' as const, key: flow.key, name: flow.name, where: use.where })),
    ),
    ...segmentUses(segments, (test) => 'event' in test && test.event === type),
  ];
}

/** Every event type that has been seen, the latest first, with what uses it. */
export async function catalogue(db: Db): Promise<{ types: TypeView[] }> {
  await foldArrivals(db);
  const [rows, users] = await Promise.all([listTypes(db), usersOf(db)]);
  return {
    types: rows.map((row) => ({
      type: row.type,
      count: Number(row.count),
      firstAt: row.first_at.toISOString(),
      lastAt: row.last_at.toISOString(),
      properties: row.properties,
      uses: usesOf(users, row.type),
    })),
  };
}

/** One event type with its properties and values, and warnings about values that a flow asks for and that never occurred. */
export async function catalogueType(db: Db, type: string): Promise<TypeDetail> {
  await foldArrivals(db);
  const row = await findType(db, type);
  if (!row) throw notFound(`event type "${type.slice(0, 80)}" on file`);
  const [properties, users] = await Promise.all([typeProperties(db, type), usersOf(db)]);
  const warnings: { says: string; mend: string; flow: string }[] = [];
  for (const flow of users.flows) {
    for (const use of eventUses(flow.document).filter((one) => one.type === type)) {
      for (const ask of use.asks)
        warnings.push(
          ...(await neverSeen(db, type, ask)).map((says) => ({
            ...says,
            says: `${flow.name}, ${use.where}: ${says.says}`,
            flow: flow.key,
          })),
        );
    }
  }
  return {
    type,
    count: Number(row.count),
    firstAt: row.first_at.toISOString(),
    lastAt: row.last_at.toISOString(),
    properties: properties.length,
    uses: usesOf(users, type),
    warnings,
    list: properties.map((one) => ({ name: one.name, count: Number(one.count), kinds: one.kinds, values: one.values ?? [] })),
  };
}

/** What an ask for a property's value gets wrong, by what has been seen: a property that never came, a value that never occurred. */
async function neverSeen(db: Db, type: string, ask: WhereTest): Promise<{ says: string; mend: string }[]> {
  // of what is inside a list only the list is known
  if ('any' in ask) return [];
  const name = ask.property.split('.')[0]!;
  const seen = await seenValues(db, type, name);
  const wanted = ask.op === 'is' ? [ask.value] : ask.op === 'oneOf' ? (ask.value as unknown[]) : [];
  if (!seen.length || ask.property.includes('.')) return [];
  // where there are more values than are told apart, one that is missing may just be rare
  if (seen.length >= MOST_VALUES) return [];
  return wanted
    .filter((value) => String(value).length <= LONGEST_VALUE && !seen.some((one) => one.value === String(value)))
    .map((value) => ({
      says: `${sayName(name)} “${String(value)}” has never occurred`,
      mend: `What has: ${seen
        .slice(0, 5)
        .map((one) => `“${one.value}”`)
        .join(', ')}`,
    }));
}

/** Folds what arrived and now and then forgets rare values; called by the worker again and again. */
export async function keepCatalogue(db: Db, isTrimming: boolean): Promise<void> {
  for (let i = 0; i < 20; i++) if ((await foldArrivals(db)) < 500) break;
  if (isTrimming) await trimValues(db);
}

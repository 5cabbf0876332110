import { attributeUses } from '@/core/flows';
import * as z from 'zod';
import { attributeInput, renameInput, type AttributesView, type UseView } from '@/core/api';
import { guessType, MOST_ATTRIBUTES, MOST_NAMES, OWN_ATTRIBUTES, spellingGroups, type SpellingGroup } from '@/core/people';
import { kindOfTest, outermost, type Test } from '@/core/rules';
import { isName } from '@/core/text';
import { nameCause } from '@/data/rules';
import { inTransaction, type Db } from '@/data/db';
import { listViews } from '@/data/access';
import {
  attributeUse,
  attributeValues,
  discoverAttributes,
  findAttribute,
  listAttributeRows,
  listUnkept,
  redirectAttribute,
  renameInPeople,
  respell,
  retireAttribute,
  saveAttribute,
} from '@/data/people';
import { segmentUses } from '@/core/segments';
import { documentsNow } from '@/data/flows';
import { readSegments } from '@/data/segments';
import { listForms } from '@/data/public';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';
import { forgetAttributes } from '../ingest';

/** Whether a test looks at an attribute, or at a part of it. */
const looksAt = (name: string) => (test: Test) =>
  kindOfTest(test)
    .needs(test)
    .some((need) => need.kind === 'attribute' && outermost(need.name) === name);

/**
 * Every attribute, declared or discovered, with what uses it; with how many people have it, too, where that is asked for:
 * it takes a look at everybody, seconds for a million.
 */
export async function attributeList(db: Db, isCounted = true): Promise<AttributesView> {
  const kinds = new Map<string, { people: number; kinds: Record<string, number> }>();
  for (const row of isCounted ? await attributeUse(db) : []) {
    const known = kinds.get(row.name) ?? { people: 0, kinds: {} };
    known.people += row.people;
    known.kinds[row.kind] = row.people;
    kinds.set(row.name, known);
  }
  let rows = await listAttributeRows(db);
  const onRecord = new Set(rows.map((row) => row.name));
  const missing = [...kinds.keys()].filter((name) => isName(name) && !onRecord.has(name)).slice(0, Math.max(0, MOST_NAMES - rows.length));
  if (missing.length) {
    await discoverAttributes(
      db,
      missing.map((name) => ({ name, type: typeOf(kinds.get(name)!.kinds) })),
    );
    rows = await listAttributeRows(db);
  }
  const [flows, segments, forms, views, unkept] = await Promise.all([
    documentsNow(db),
    readSegments(db),
    listForms(db, (await readStore(db)).now),
    listViews(db),
    listUnkept(db),
  ]);
  return {
    most: MOST_NAMES,
    mostOfPerson: MOST_ATTRIBUTES,
    unkept,
    attributes: rows.map((row) => ({
      name: row.name,
      type: row.type,
      isDeclared: row.is_declared,
      about: row.about,
      goesTo: row.goes_to,
      isRetired: row.retired_at !== null,
      people: isCounted ? (kinds.get(row.name)?.people ?? 0) : null,
      kinds: kinds.get(row.name)?.kinds ?? {},
      uses: [
        ...flows.flatMap((flow) =>
          attributeUses(flow.document, row.name).map((where): UseView => ({
            kind: where.startsWith('message') ? 'message' : 'flow',
            key: flow.key,
            name: flow.name,
            where,
          })),
        ),
        ...segmentUses(segments, looksAt(row.name)),
        ...forms
          .filter((form) => form.document.fields.some((field) => field.attribute === row.name))
          .map((form): UseView => ({ kind: 'form', key: form.key, name: form.name, where: 'field' })),
        ...views
          .filter(
            (view) =>
              view.query.includes(`"${row.name}"`) ||
              view.query.includes(encodeURIComponent(`"${row.name}"`)) ||
              view.query.includes(`attribute:${row.name}`),
          )
          .map((view): UseView => ({ kind: 'view', key: String(view.id), name: view.name, where: 'saved view' })),
      ],
    })),
  };
}

function typeOf(kinds: Record<string, number>) {
  const [kind] = Object.entries(kinds).sort((a, b) => b[1] - a[1])[0] ?? ['string'];
  return guessType(kind === 'number' ? 0 : kind === 'boolean' ? true : kind === 'array' ? [] : '') ?? 'text';
}

/** Declares an attribute with its type. What does not fit on file stays as it is and is counted. */
export async function declareAttribute(db: Db, name: string, body: unknown, by: string): Promise<void> {
  if (!isName(name))
    throw new Problem(422, 'Not a name', 'An attribute’s name begins with a letter and has letters, digits, _ . and -.', [
      { field: 'name', wrong: 'is not a name', right: 'for example tankSize' },
    ]);
  const parsed = attributeInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an attribute', 'Nothing was stored.', problemsOf(parsed.error));
  if (OWN_ATTRIBUTES.has(name) && parsed.data.type !== 'text')
    throw new Problem(422, 'Viatic’s own', `${name} is an attribute that Viatic lives by; it stays a text.`, [
      { field: 'type', wrong: 'cannot be changed', right: 'text' },
    ]);
  await inTransaction(db, async (trx) => {
    await saveAttribute(trx, { name, isDeclared: true, ...parsed.data });
    await recordAct(trx, (await readStore(trx)).now, by, 'attribute.declared', { name, type: parsed.data.type });
  });
  forgetAttributes(db);
}

/** Gives an attribute another name. When that name is there already the two become one: the newer word wins. */
export async function renameAttribute(db: Db, name: string, body: unknown, by: string): Promise<{ people: number }> {
  const parsed = renameInput.safeParse(body);
  if (!parsed.success)
    throw new Problem(
      422,
      'Not a name',
      'An attribute’s name begins with a letter and has letters, digits, _ . and -.',
      problemsOf(parsed.error),
    );
  const { to } = parsed.data;
  if (to === name)
    throw new Problem(422, 'Not a name', 'An attribute’s name begins with a letter and has letters, digits, _ . and -.', [
      { field: 'to', wrong: 'is not another name', right: 'for example tankSize' },
    ]);
  if (OWN_ATTRIBUTES.has(name)) throw new Problem(422, 'Viatic’s own', `${name} is an attribute that Viatic lives by; it keeps its name.`);
  const row = await findAttribute(db, name);
  if (!row) throw notFound(`attribute "${name.slice(0, 80)}"`);
  const asking = segmentUses(await readSegments(db), looksAt(name));
  const used = [
    ...(await documentsNow(db)).flatMap((flow) => attributeUses(flow.document, name).map((where) => `${flow.name}, ${where}`)),
    ...asking.map((use) => `segment “${use.name}”`),
  ];
  if (used.length)
    throw new Problem(
      409,
      'In use',
      `${name} is used by ${used.length === 1 ? 'a flow' : 'flows'}: ${used.slice(0, 3).join('; ')}. Change that first; nothing was renamed.`,
    );
  const people = await inTransaction(db, async (trx) => {
    const target = await findAttribute(trx, to);
    if (!target) await saveAttribute(trx, { name: to, type: row.type, isDeclared: row.is_declared, about: row.about });
    await nameCause(trx, `${name} renamed by ${by}`);
    const changed = await renameInPeople(trx, name, to);
    // the shop goes on sending the old name: it lands under the new one
    await redirectAttribute(trx, name, to);
    await recordAct(trx, (await readStore(trx)).now, by, target ? 'attribute.merged' : 'attribute.renamed', { name, to });
    return changed;
  });
  forgetAttributes(db);
  return { people };
}

/** Retires an attribute: what is on file stays, nothing more is taken in. Or brings it back. */
export async function retire(db: Db, name: string, isRetired: boolean, by: string): Promise<void> {
  if (OWN_ATTRIBUTES.has(name))
    throw new Problem(422, 'Viatic’s own', `${name} is an attribute that Viatic lives by; it cannot be retired.`);
  if (!(await findAttribute(db, name))) throw notFound(`attribute "${name.slice(0, 80)}"`);
  await inTransaction(db, async (trx) => {
    await retireAttribute(trx, name, isRetired);
    await recordAct(trx, (await readStore(trx)).now, by, isRetired ? 'attribute.retired' : 'attribute.restored', { name });
  });
  forgetAttributes(db);
}

/** The values of an attribute by how often they occur, and those that mean the same but are spelled differently. */
export async function valuesOf(db: Db, name: string): Promise<{ values: { value: string; count: number }[]; groups: SpellingGroup[] }> {
  const values = await attributeValues(db, name, 500);
  const hint = name === 'country' ? 'country' : name === 'phone' ? 'phone' : null;
  // keeping the standard form means something only where somebody writes another one
  return {
    values: values.slice(0, 100),
    groups: spellingGroups(values, hint, null)
      .filter((group) => group.variants.some((one) => one.value !== group.keep))
      .slice(0, 50),
  };
}

const respellSchema = z.strictObject({
  groups: z
    .array(z.strictObject({ keep: z.string().min(1).max(500), variants: z.array(z.string().max(500)).min(1).max(200) }))
    .min(1)
    .max(200),
});

/** Brings spellings of the same into one, for everybody on file. */
export async function respellAttribute(db: Db, name: string, body: unknown, by: string): Promise<{ people: number }> {
  const parsed = respellSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not spellings', 'Nothing was changed.', problemsOf(parsed.error));
  if (name === 'email') throw new Problem(422, 'Not for addresses', 'Addresses are not respelled.');
  return inTransaction(db, async (trx) => {
    await nameCause(trx, `respelled by ${by}`);
    const changed = new Set<string>();
    for (const { keep, variants } of parsed.data.groups) for (const id of await respell(trx, name, variants, keep)) changed.add(id);
    const { now } = await readStore(trx);
    await recordAct(trx, now, by, 'attribute.respelled', { name, groups: parsed.data.groups.length, people: changed.size });
    return { people: changed.size };
  });
}

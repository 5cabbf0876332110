import { consentInput, eventInput } from '@/core/api';
import { randomUUID } from 'node:crypto';
import * as z from 'zod';
import { FLOW_CALLED, keyOf, mayNotStart, planOf, sayAgain, triggersOf, type Trigger } from '@/core/flows';
import {
  consentSchema,
  countryCode,
  fitAttribute,
  guessType,
  MOST_ATTRIBUTES,
  MOST_NAMES,
  normaliseEmail,
  normalisePhone,
  saysSomething,
  type AttributeType,
  type Profile,
} from '@/core/people';
import { LIST_EVENTS, matches, type FactEvent, type Value } from '@/core/rules';
import { isName } from '@/core/text';
import type { Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { addTag, removeTag } from '@/data/work';
import { loadEvents, nameCause } from '@/data/rules';
import {
  addIdentifiers,
  addToList,
  consentLog,
  discoverAttributes,
  findList,
  listAttributeRows,
  lockPeople,
  ownerOfIdentifier,
  removeFromList,
  savePeople,
  type AttributeRow,
  type PersonRow,
} from '@/data/people';
import { aboutRun, armCalled, earlierRuns, endRuns, findFlow, putAt, readVersion } from '@/data/flows';
import { HAND_SOURCE } from '@/data/sources';
import { readStore, recordAct } from '@/data/store';
import { changeConsent } from './consent';
import { notFound, Problem, problemsOf, unstorable } from '../http';
import { endedBefore, ingest, recordFor, recordOwn } from '../ingest';
import { person, publicId } from './who';

const attributes = z
  .record(z.string().refine(isName, 'is not an attribute name; use letters, digits, _ . and -'), z.unknown())
  .refine((given) => Object.keys(given).length <= MOST_ATTRIBUTES, `are more than the ${MOST_ATTRIBUTES} that a person may have`);
export const putPersonSchema = z.strictObject({
  attributes: attributes.optional(),
  email: z.string().optional(),
  firstName: z.string().optional(),
  lastName: z.string().optional(),
  phone: z.string().optional(),
  country: z.string().optional(),
  zone: z.string().optional(),
  consent: consentSchema.optional(),
});

/** Creates or updates a person, by way of an event, so that identity, merging and waking are the same as for any other. */
export async function putPerson(db: Db, externalId: string, body: unknown, sourceId: number = HAND_SOURCE): Promise<void> {
  const parsed = putPersonSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a person', 'The person was not stored.', problemsOf(parsed.error));
  const { attributes, ...known } = parsed.data;
  const answer = await ingest(
    db,
    { id: randomUUID(), source: 'api/people', type: 'person.updated', subject: externalId, data: { person: { ...attributes, ...known } } },
    { sourceId },
  );
  const problem = answer.rejected[0];
  if (problem) {
    throw new Problem(
      422,
      'Not a person',
      'The person was not stored.',
      problem.problems.map((p) => ({ ...p, field: p.field.replace(/^data\.person\.?/, '') || p.field })),
    );
  }
}

const editSchema = z.strictObject({ attributes });

/** Writes attributes of somebody by hand; null takes one away. A new address or phone becomes theirs, unless it is somebody else's. */
export async function editPerson(db: Db, id: string, body: unknown, by: string): Promise<void> {
  const parsed = editSchema.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not attributes', 'Nothing was changed.', problemsOf(parsed.error));
  const bad = unstorable(parsed.data, '');
  if (bad) throw new Problem(422, 'Not attributes', 'Nothing was changed.', [bad]);
  const row = await person(db, id);
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    const locked = (await lockPeople(trx, [row.id])).get(row.id);
    if (!locked) throw new Problem(409, 'Changed meanwhile', 'This person has just been merged or erased. Load the page again.');
    const profile = await writtenProfile(trx, locked.row, parsed.data.attributes as Record<string, Value>, store.now);
    for (const [kind, name] of [
      ['email', 'email'],
      ['phone', 'phone'],
    ] as const) {
      const value = profile.attributes[name];
      if (typeof value !== 'string' || value === locked.row.attributes[name] || (kind === 'phone' && !value.startsWith('+'))) continue;
      const owner = await ownerOfIdentifier(trx, { kind, value });
      if (owner && owner !== row.id && kind === 'email')
        throw new Problem(
          409,
          'Somebody else’s',
          `${value} belongs to another person on file (~${owner}). Merge the two if they are one.`,
          [{ field: 'email', wrong: 'belongs to somebody else', right: 'an address of their own' }],
        );
      if (!owner) await addIdentifiers(trx, [{ key: `${kind}:${value}`, personId: row.id, firstAt: store.now }]);
    }
    await nameCause(trx, `by ${by}`);
    await savePeople(trx, [
      {
        id: row.id,
        isNew: false,
        externalId: locked.row.external_id,
        externalAt: locked.row.external_at?.getTime() ?? null,
        isKnown: locked.row.is_known || typeof profile.attributes.email === 'string',
        profile,
        firstSeen: locked.row.created_at.getTime(),
        lastSeen: locked.row.seen_at.getTime(),
      },
    ]);
    await recordAct(trx, store.now, by, 'person.edited', { person: row.id, attributes: Object.keys(parsed.data.attributes) });
  });
}

/** A profile with what was written by hand: it counts from now on, whatever was said before. */
async function writtenProfile(trx: Sql, row: PersonRow, given: Record<string, Value>, now: Instant): Promise<Profile> {
  const attributes = { ...row.attributes };
  const stamped = { ...row.stamped };
  const records = new Map((await listAttributeRows(trx)).map((one) => [one.name, one]));
  const learned: { name: string; type: AttributeType }[] = [];
  for (const [name, value] of Object.entries(given)) {
    stamped[name] = now;
    if (saysSomething(value)) {
      const fitted = fittedValue(name, value, records.get(name), attributes);
      const type = records.has(name) ? null : guessType(fitted);
      if (type) learned.push({ name, type });
      attributes[name] = fitted;
    } else if (name === 'email' && row.external_id === null) {
      throw new Problem(422, 'Needed', 'The address is all that this person is known by; nothing was changed.', [
        { field: 'email', wrong: 'cannot be taken away', right: 'another address' },
      ]);
    } else delete attributes[name];
  }
  if (Object.keys(attributes).length > MOST_ATTRIBUTES)
    throw new Problem(422, 'Too many attributes', `A person has at most ${MOST_ATTRIBUTES} attributes; nothing was changed.`, [
      { field: 'attributes', wrong: 'would be more than a person may have', right: 'take others away first' },
    ]);
  if (learned.length + records.size > MOST_NAMES)
    throw new Problem(
      422,
      'Too many names',
      `There are ${MOST_NAMES.toLocaleString('en')} names of attributes already, as many as there may be; nothing was changed.`,
      [{ field: learned[0]!.name, wrong: 'is a new name', right: 'a name that is there already' }],
    );
  await discoverAttributes(trx, learned);
  return { attributes, stamped };
}

function fittedValue(name: string, given: Value, record: AttributeRow | undefined, attributes: Record<string, Value>): Value {
  const wrong = (what: string, right: string) =>
    new Problem(422, 'Not attributes', 'Nothing was changed.', [{ field: name, wrong: what, right }]);
  if (name === 'email') {
    const email = typeof given === 'string' ? normaliseEmail(given) : null;
    if (!email) throw wrong('is not an email address', 'one address such as robin@example.com');
    return email;
  }
  if (name === 'phone') {
    const country = typeof attributes.country === 'string' ? countryCode(attributes.country) : null;
    const phone = typeof given === 'string' ? normalisePhone(given, country) : null;
    if (!phone) throw wrong('is not a phone number', 'a number with its country code, such as +31 6 12345678');
    return phone;
  }
  if (!record?.is_declared) return given;
  const fitted = fitAttribute(record.type, given);
  if (fitted === undefined) throw wrong(`is no ${record.type}`, `a ${record.type}`);
  return fitted;
}

/** Puts a tag on somebody or takes it off. */
export async function tagPerson(db: Db, id: string, tag: string, isOn: boolean, by: string): Promise<void> {
  const name = readTag(tag);
  const row = await person(db, id);
  const store = await readStore(db);
  await inTransaction(db, async (trx) => {
    await nameCause(trx, `by ${by}`);
    if (isOn) await addTag(trx, [row.id], name, by, new Date(store.now));
    else await removeTag(trx, [row.id], name);
  });
}

export function readTag(tag: unknown): string {
  const name = typeof tag === 'string' ? tag.trim() : '';
  if (!name || name.length > 60 || unstorable(name, ''))
    throw new Problem(422, 'Not a tag', 'A tag is a text of up to 60 characters.', [
      { field: 'tag', wrong: 'is not a tag', right: 'a few words' },
    ]);
  return name;
}

/** Puts people on a list or takes them off, and records it on each as an event that flows can start from. */
export async function listPeopleOn(
  db: Db,
  key: string,
  personIds: readonly string[],
  isOn: boolean,
  how: string,
  given?: Sql,
): Promise<string[]> {
  const work = async (trx: Sql) => {
    const list = await findList(trx, key);
    if (!list || list.archived_at) throw notFound(`list "${key.slice(0, 60)}"`);
    const { now } = await readStore(trx);
    await nameCause(trx, how);
    const changed = isOn ? await addToList(trx, list.id, personIds, how, now) : await removeFromList(trx, list.id, personIds, how, now);
    for (const personId of changed) {
      await recordOwn(
        db,
        {
          personId,
          type: isOn ? LIST_EVENTS[0] : LIST_EVENTS[1],
          eventId: `list/${list.key}/${personId}/${randomUUID()}`,
          properties: { list: list.key, name: list.name, how },
        },
        trx,
      );
    }
    return changed;
  };
  return given ? work(given) : inTransaction(db, work);
}

/** Records an event for somebody by hand: through the same door as any other. */
export async function recordEvent(db: Db, id: string, body: unknown): Promise<void> {
  const parsed = eventInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not an event', 'Nothing was recorded.', problemsOf(parsed.error));
  const row = await person(db, id);
  const whose = whoseOf(row);
  const data = { ...parsed.data.data, ...(whose.person && { person: whose.person }) };
  const answer = await ingest(
    db,
    {
      id: randomUUID(),
      source: 'by-hand',
      type: parsed.data.type,
      ...(parsed.data.time && { time: parsed.data.time }),
      ...(whose.subject && { subject: whose.subject }),
      data,
    },
    { sourceId: HAND_SOURCE },
  );
  if (answer.rejected[0]) throw new Problem(422, 'Not an event', 'Nothing was recorded.', answer.rejected[0].problems);
}

/** What an event says to be somebody's: their external id, else their address. */
function whoseOf(row: PersonRow): { subject?: string; person?: Record<string, string> } {
  if (row.external_id !== null) return { subject: row.external_id };
  if (row.email !== null) return { person: { email: row.email } };
  throw new Problem(422, 'Nobody in particular', 'This is a visitor of whom only a device is known; an event cannot be recorded by hand.');
}

/** Puts somebody into a flow by hand: it starts at once, with the data of their last trigger event. The entry rule still holds. */
export async function startFlow(db: Db, id: string, flowKey: string, by: string): Promise<void> {
  const row = await person(db, id);
  const flow = await findFlow(db, flowKey);
  if (!flow) throw notFound(`flow "${flowKey.slice(0, 60)}"`);
  if (flow.state !== 'on' || flow.version === null) throw new Problem(422, 'Not on', `“${flow.name}” is not on; nobody can start it.`);
  const document = await readVersion(db, flow.id, flow.version);
  const triggers = triggersOf({ key: flow.key, document });
  // what goes by the clock, or is handed over, is told to each flow for itself
  const isFor = (trigger: Trigger, event: FactEvent) =>
    trigger.event === event.type && (!event.type.startsWith('flow.') || matches(event, trigger.where));
  const events = await loadEvents(
    db,
    [row.id],
    triggers.map(({ event }) => event),
  );
  const last = events.get(row.id)?.findLast((event) => triggers.some((trigger) => isFor(trigger, event)));
  const trigger = last && triggers.find((one) => isFor(one, last));
  const { now, zone } = await readStore(db);
  // the run is about the same cart or order as one that the trigger starts, so that the two are not both under way
  const key = (last && trigger && keyOf(trigger, last)) || `by hand ${new Date(now).toISOString()}`;
  const again = mayNotStart(
    document.reentry,
    (await earlierRuns(db, [{ personId: row.id, flowId: flow.id, key: null }])).get(`${row.id}/${flow.id}`) ?? [],
    key,
    now,
    zone,
  );
  if (again) throw new Problem(422, 'May not start', `They cannot start “${flow.name}”: ${sayAgain(again, key)}.`);
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    await lockPeople(trx, [row.id]);
    const eventId = `flow/${flow.key}/${randomUUID()}`;
    await recordOwn(db, { personId: row.id, type: FLOW_CALLED, eventId, properties: { ...last?.properties, flow: flow.key, by } }, trx);
    const called = (await loadEvents(trx, [row.id], [FLOW_CALLED])).get(row.id)!.at(-1)!;
    await armCalled(trx, {
      personId: row.id,
      flowId: flow.id,
      version: flow.version!,
      key,
      eventId: called.id,
      eventAt: called.time,
      at: store.now,
    });
    await recordAct(trx, store.now, by, 'flow.called', { key: flow.key, person: row.id });
  });
}

/**
 * Puts people who are locked into a flow, in the caller's transaction: each as soon as the flow lets them, and not at all where its
 * entry rule or how often it may start forbids it. `name` tells this time from others. Answers with how many were told.
 */
export async function startMany(trx: Sql, personIds: readonly string[], flowKey: string, name: string, by: string): Promise<number> {
  const flow = await findFlow(trx, flowKey);
  if (!flow) throw notFound(`flow "${flowKey.slice(0, 60)}"`);
  if (flow.state !== 'on' || flow.version === null) throw new Problem(422, 'Not on', `“${flow.name}” is not on; nobody can start it.`);
  const { now } = await readStore(trx);
  await recordFor(
    trx,
    personIds.map((personId) => ({
      personId,
      type: FLOW_CALLED,
      eventId: `flow/${flow.key}/${name}/${personId}`,
      properties: { flow: flow.key, by },
    })),
  );
  for (const [personId, events] of await loadEvents(trx, personIds, [FLOW_CALLED])) {
    const called = events.findLast((event) => event.properties.flow === flow.key);
    if (!called) continue;
    const about = { key: `by hand ${name}`, eventId: called.id, eventAt: called.time };
    await armCalled(trx, { personId, flowId: flow.id, version: flow.version, ...about, at: now });
  }
  return personIds.length;
}

async function runOf(db: Db, id: string) {
  const run = /^\d{1,18}$/.test(id) ? await aboutRun(db, id) : null;
  if (!run) throw notFound('such run');
  return run;
}

/** Ends a run by its number. */
export async function leaveRun(db: Db, id: string, by: string): Promise<{ run: string }> {
  const { personId } = await runOf(db, id);
  await takeOut(db, `~${personId}`, id, by);
  return { run: id };
}

const moveInput = z.strictObject({ step: z.string().min(1).max(40) });

/** Puts a run that is inside at another step of its version. */
export async function moveRun(db: Db, id: string, body: unknown, by: string): Promise<{ run: string; step: string }> {
  const parsed = moveInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a move', 'Nothing was moved.', problemsOf(parsed.error));
  const { step } = parsed.data;
  const { personId, flowId, version } = await runOf(db, id);
  if (!planOf(await readVersion(db, flowId, version)).steps.has(step))
    throw new Problem(422, 'Not a move', 'Nothing was moved.', [
      { field: 'step', wrong: 'is no step of the version that the run is on', right: 'the id of one' },
    ]);
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    await lockPeople(trx, [personId]);
    if (!(await putAt(trx, personId, id, step, by, now))) throw new Problem(409, 'Not inside', 'This run is over, or has not entered.');
    await recordAct(trx, now, by, 'run.moved', { person: personId, run: id, step });
  });
  return { run: id, step };
}

/** Takes somebody out of a run. */
export async function takeOut(db: Db, id: string, runId: string, by: string): Promise<void> {
  const row = await person(db, id);
  if (!/^\d{1,18}$/.test(runId)) throw notFound('such run');
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    await lockPeople(trx, [row.id]);
    const ended = await endRuns(trx, row.id, [runId], { by }, store.now);
    if (!ended.length) throw new Problem(409, 'Over already', 'This run is over already.');
    await recordFor(trx, endedBefore(row.id, ended, store.now));
    await recordAct(trx, store.now, by, 'run.ended', { person: row.id, run: runId });
  });
}

/** Enters a word on consent that somebody gave outside of this program. */
export async function enterConsent(db: Db, id: string, body: unknown, by: string): Promise<void> {
  const parsed = consentInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not consent', 'Nothing was changed.', problemsOf(parsed.error));
  const row = await person(db, id);
  const { channel, state, how, wording, place } = parsed.data;
  await changeConsent(db, row.id, {
    channels: { [channel]: state },
    detail: { how, actor: by, wording: wording ?? null, place: place ?? null },
  });
}

/** All that was ever said on consent by one person, for the printable record. */
export async function consentRecord(db: Db, id: string) {
  const row = await person(db, id);
  return {
    person: publicId(row),
    log: (await consentLog(db, row.id)).map((line) => ({ ...line, at: line.at.toISOString(), recordedAt: line.recorded_at.toISOString() })),
  };
}

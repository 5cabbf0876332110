import { UPDATED_BY } from '@/core/flows';
import { guessType, keptAttributes, MOST_NAMES } from '@/core/people';
import type { FactChange, Value } from '@/core/rules';
import type { Instant } from '@/core/time';
import type { Sql } from '@/data/db';
import { addToList, changeAttributes, discoverAttributes, findList, removeFromList } from '@/data/people';
import { addTag, removeTag } from '@/data/work';
import { nameCause } from '@/data/rules';
import { attributeRecords, forgetAttributes } from '../ingest';

/** A change of what is on file about somebody that a flow has made. */
export interface FlowChange {
  readonly personId: string;
  /** the key of the flow */
  readonly flow: string;
  readonly change: FactChange;
  /** how many flows have led to it */
  readonly hops: number;
}

/**
 * Stores what flows have changed of people who are locked, in the transaction of their runs; the history of each says which flow
 * it was. Of several changes of the same thing the last counts. What is told under an attribute that goes by another name now,
 * or is not kept any more, is treated as what a shop tells.
 */
export async function storeChanges(trx: Sql, changes: readonly FlowChange[], now: Instant): Promise<void> {
  if (!changes.length) return;
  const last = new Map<string, FlowChange>();
  for (const one of changes) {
    const id = JSON.stringify([one.personId, one.change.kind, one.change.name]);
    last.delete(id);
    last.set(id, one);
  }
  const byCause = new Map<string, FlowChange[]>();
  for (const one of last.values()) {
    const id = `${one.hops} ${one.flow}`;
    byCause.set(id, [...(byCause.get(id) ?? []), one]);
  }
  for (const own of byCause.values()) {
    const { flow, hops } = own[0]!;
    const cause = `${UPDATED_BY}${flow}`;
    await nameCause(trx, cause, hops);
    await storeAttributes(trx, own, now);
    for (const [kind, name, isOn, personIds] of memberships(own)) {
      if (kind === 'tag') await (isOn ? addTag(trx, personIds, name, cause, new Date(now)) : removeTag(trx, personIds, name));
      else {
        const list = await findList(trx, name);
        if (list && !list.archived_at)
          await (isOn ? addToList(trx, list.id, personIds, cause, now) : removeFromList(trx, list.id, personIds, cause, now));
      }
    }
  }
  await nameCause(trx, '');
}

async function storeAttributes(trx: Sql, changes: readonly FlowChange[], now: Instant): Promise<void> {
  const written = new Map<string, Record<string, Value>>();
  for (const { personId, change } of changes)
    if (change.kind === 'attribute') written.set(personId, { ...written.get(personId), [change.name]: change.is });
  if (!written.size) return;
  const records = await attributeRecords(trx);
  const fresh = new Map<string, Value>();
  const rows = [...written].map(([personId, said]) => {
    const kept = keptAttributes(said, records);
    for (const [name, value] of Object.entries(kept)) if (!records.has(name) && value !== null) fresh.set(name, value);
    return { personId, attributes: kept };
  });
  // names beyond what there may be are not kept
  const room = MOST_NAMES - records.size;
  const refused = new Set([...fresh.keys()].slice(Math.max(0, room)));
  await changeAttributes(
    trx,
    rows.map(({ personId, attributes }) => ({
      personId,
      attributes: Object.fromEntries(Object.entries(attributes).filter(([name]) => !refused.has(name))),
    })),
    now,
  );
  const learned = [...fresh].flatMap(([name, value]) => {
    const type = refused.has(name) ? null : guessType(value);
    return type ? [{ name, type }] : [];
  });
  if (!learned.length) return;
  await discoverAttributes(trx, learned);
  forgetAttributes(trx);
}

/** Who is put on and taken off what, together where it is the same. */
function memberships(changes: readonly FlowChange[]): ['tag' | 'list', string, boolean, string[]][] {
  const found = new Map<string, ['tag' | 'list', string, boolean, string[]]>();
  for (const { personId, change } of changes) {
    if (change.kind !== 'tag' && change.kind !== 'list') continue;
    const isOn = change.is !== null;
    const id = JSON.stringify([change.kind, change.name, isOn]);
    const known = found.get(id);
    if (known) known[3].push(personId);
    else found.set(id, [change.kind, change.name, isOn, [personId]]);
  }
  return [...found.values()];
}

import { senderInput, type SendersView, type SenderView, type WarmUpView } from '@/core/api';
import { brandKey, daysOfWarmUp, mostOnDay, warmUpSchema, type Message } from '@/core/messages';
import { dayAt, HOUR, localDate, startOfDayNumber, type Instant } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import {
  deleteSender,
  deleteWarmUp,
  findSender,
  listSenders,
  listWarmUps,
  noteAsked,
  saveSender,
  saveWarmUp,
  takePlaces,
  verifySender,
  type SenderRow,
} from '@/data/letters';
import { createLetter } from '@/data/messages';
import { readStore, recordAct, type StoreNow } from '@/data/store';
import { addJobs } from '@/data/work';
import { notFound, Problem, problemsOf } from '../http';

/** By what key the store's own sender is spoken of. */
export const OWN = 'own';

const viewOf = ({ key, name, address, verified_at }: SenderRow, warmUps: ReadonlyMap<string, WarmUpView>): SenderView => ({
  key,
  name,
  address,
  verifiedAt: verified_at?.toISOString() ?? null,
  warmUp: warmUps.get(key) ?? null,
});

async function warmUpsNow(sql: Sql): Promise<ReadonlyMap<string, WarmUpView>> {
  const { now, zone } = await readStore(sql);
  return new Map(
    (await listWarmUps(sql, localDate(now, zone))).map(({ sender, plan, days, handed }) => [
      sender,
      { ...plan, today: { handed, most: mostOnDay(plan, days) }, daysLeft: Math.max(0, daysOfWarmUp(plan) - days) },
    ]),
  );
}

export async function senders(db: Db): Promise<SendersView> {
  const { name, fromEmail } = await readStore(db);
  const warmUps = await warmUpsNow(db);
  return {
    store: { name, address: fromEmail, warmUp: warmUps.get('') ?? null },
    senders: (await listSenders(db)).map((row) => viewOf(row, warmUps)),
  };
}

/** Lets a sender grow day by day, or changes how; the store's own by the key `own`. Null: as many go out as are due. */
export async function putWarmUp(db: Db, key: string, body: unknown, by: string): Promise<void> {
  const parsed = warmUpSchema.nullable().safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a plan', 'Nothing was stored.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    const { now, zone } = await readStore(trx);
    if (key !== OWN && !(await findSender(trx, key))) throw notFound(`sender "${key.slice(0, 60)}"`);
    const sender = key === OWN ? '' : key;
    if (parsed.data) await saveWarmUp(trx, sender, parsed.data, localDate(now, zone));
    else await deleteWarmUp(trx, sender);
    await recordAct(trx, now, by, parsed.data ? 'sender.warms-up' : 'sender.warm', { key, ...parsed.data });
  });
}

/**
 * Which of some marketing letters do not go out today, since their sender is not known enough for as many: by number, with the
 * moment at which they are looked at again. The others have taken a place of the day.
 */
export async function keptByWarmUp(
  db: Db,
  letters: readonly { readonly id: string; readonly sender: string }[],
  { now, zone }: Pick<StoreNow, 'now' | 'zone'>,
): Promise<ReadonlyMap<string, Instant>> {
  const kept = new Map<string, Instant>();
  if (!letters.length) return kept;
  const day = localDate(now, zone);
  for (const { sender, plan, days } of await listWarmUps(db, day)) {
    const most = mostOnDay(plan, days);
    const its = letters.filter((one) => one.sender === sender);
    if (most === null || !its.length) continue;
    const got = await takePlaces(db, { sender, day, most, wanted: its.length });
    for (const { id } of its.slice(got)) kept.set(id, startOfDayNumber(dayAt(now, zone) + 1, zone));
  }
  return kept;
}

/** Stores a sender. Another address is asked by mail whether it may be used; until then letters go out in the store's name. */
export async function putSender(
  db: Db,
  key: string,
  body: unknown,
  linkTo: (key: string, address: string) => string,
  by: string,
): Promise<SenderView> {
  if (!brandKey.safeParse(key).success || key === OWN)
    throw new Problem(400, 'Not a key', 'A sender\'s key is made of a-z, 0-9 and -, at most 60 characters, and is not "own".');
  const parsed = senderInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a sender', 'Nothing was stored.', problemsOf(parsed.error));
  const address = parsed.data.address.trim().toLowerCase();
  await inTransaction(db, async (trx) => {
    const store = await readStore(trx);
    await saveSender(trx, { key, name: parsed.data.name, address });
    const row = (await findSender(trx, key))!;
    // asked again within an hour only for another address
    if (!row.verified_at) {
      const isFresh = row.asked_at !== null && store.now - row.asked_at.getTime() < HOUR && !parsed.data.again;
      if (!isFresh) await ask(trx, row, linkTo(key, address), store, by);
    }
    await recordAct(trx, store.now, by, 'sender.stored', { key, address });
  });
  return viewOf((await findSender(db, key))!, await warmUpsNow(db));
}

async function ask(trx: Sql, { key, address }: SenderRow, link: string, store: StoreNow, by: string): Promise<void> {
  const message: Message = {
    schema: 'viatic.message/1',
    channel: 'email',
    kind: 'service',
    subject: `${store.name}: may letters go out in the name of this address?`.replace(/[\r\n]+/g, ' '),
    preview: '',
    blocks: [
      {
        id: 'text',
        kind: 'text',
        text: 'Somebody wants letters to go out in the name of this address. Press the button if that is right.',
      },
      { id: 'confirm', kind: 'button', label: 'Yes, use this address', url: link },
      { id: 'else', kind: 'text', text: 'If you know nothing of it, do nothing: it is not used then.' },
    ],
  };
  const id = await createLetter(trx, { personId: null, address, purpose: 'confirm', kind: 'service', message, by, at: store.now });
  await addJobs(trx, 'letter', [{ id }], 15);
  await noteAsked(trx, key, store.now);
}

/** Notes that the owner of an address has said yes. Answers whether there is such a sender. */
export async function confirmSender(db: Db, key: string, address: string): Promise<boolean> {
  return inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    const isThere = await verifySender(trx, key, address, now);
    if (isThere) await recordAct(trx, now, address, 'sender.confirmed', { key });
    return isThere;
  });
}

export async function removeSender(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await deleteSender(trx, key))) throw notFound(`sender "${key.slice(0, 60)}"`);
    await deleteWarmUp(trx, key);
    await recordAct(trx, (await readStore(trx)).now, by, 'sender.deleted', { key });
  });
}

/** In whose name letters go out, by key: those whose addresses are confirmed. */
export async function readSenders(sql: Sql): Promise<ReadonlyMap<string, { name: string; address: string }>> {
  return new Map(
    (await listSenders(sql)).flatMap(({ key, name, address, verified_at }) => (verified_at ? [[key, { name, address }] as const] : [])),
  );
}

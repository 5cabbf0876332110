import { senderInput, type SenderView } from '@/core/api';
import { brandKey, type Message } from '@/core/messages';
import { HOUR } from '@/core/time';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { deleteSender, findSender, listSenders, noteAsked, saveSender, verifySender, type SenderRow } from '@/data/letters';
import { createLetter } from '@/data/messages';
import { readStore, recordAct, type StoreNow } from '@/data/store';
import { addJobs } from '@/data/work';
import { notFound, Problem, problemsOf } from '../http';

const viewOf = ({ key, name, address, verified_at }: SenderRow): SenderView => ({
  key,
  name,
  address,
  verifiedAt: verified_at?.toISOString() ?? null,
});

export async function senders(db: Db): Promise<{ store: { name: string; address: string }; senders: SenderView[] }> {
  const { name, fromEmail } = await readStore(db);
  return { store: { name, address: fromEmail }, senders: (await listSenders(db)).map(viewOf) };
}

/** Stores a sender. Another address is asked by mail whether it may be used; until then letters go out in the store's name. */
export async function putSender(
  db: Db,
  key: string,
  body: unknown,
  linkTo: (key: string, address: string) => string,
  by: string,
): Promise<SenderView> {
  if (!brandKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "A sender's key is made of a-z, 0-9 and -, at most 60 characters.");
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
  return viewOf((await findSender(db, key))!);
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
    await recordAct(trx, (await readStore(trx)).now, by, 'sender.deleted', { key });
  });
}

/** In whose name letters go out, by key: those whose addresses are confirmed. */
export async function readSenders(sql: Sql): Promise<ReadonlyMap<string, { name: string; address: string }>> {
  return new Map(
    (await listSenders(sql)).flatMap(({ key, name, address, verified_at }) => (verified_at ? [[key, { name, address }] as const] : [])),
  );
}

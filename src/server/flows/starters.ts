import { starterInput, type StarterView } from '@/core/api';
import { eventUses, freeKey } from '@/core/flows';
import { STARTERS } from '@/core/starters';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { addStarter, findFlow, ownStarters, readVersion, removeStarter } from '@/data/flows';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';

/** Flows to begin with: those of the store first, then those that are always there. */
export async function starters(sql: Sql): Promise<{ starters: StarterView[] }> {
  const own = (await ownStarters(sql)).map(({ key, name, says, document, at, by }): StarterView => ({
    key,
    name,
    says,
    document,
    needs: [...new Set(eventUses(document).map(({ type }) => type))].filter(
      (type) => !/^(flow|message|code|list|segment|attribute)\./.test(type),
    ),
    own: { at: at.toISOString(), by },
  }));
  return { starters: [...own, ...STARTERS.map((one): StarterView => ({ ...one, own: null }))] };
}

/** Keeps a flow as one to begin others with, as it is on, or as its draft is where it never was. */
export async function saveStarter(db: Db, body: unknown, by: string): Promise<{ key: string }> {
  const parsed = starterInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not a starter', 'Nothing was stored.', problemsOf(parsed.error));
  const { flow: of, name, says } = parsed.data;
  return inTransaction(db, async (trx) => {
    const flow = await findFlow(trx, of);
    if (!flow) throw notFound(`flow "${of.slice(0, 60)}"`);
    const document = flow.version === null ? flow.draft : await readVersion(trx, flow.id, flow.version);
    // what belongs to that flow alone does not go along
    const { window: _w, accepted: _a, ...plain } = document;
    const taken = (await starters(trx)).starters.map((one) => one.key);
    const key = freeKey(name, taken, 'starter');
    const { now } = await readStore(trx);
    await addStarter(trx, { key, name, says, document: { ...plain, name }, at: now, by });
    await recordAct(trx, now, by, 'starter.stored', { key, flow: of });
    return { key };
  });
}

/** Removes one of the store's own. */
export async function dropStarter(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    if (!(await removeStarter(trx, key.slice(0, 60)))) throw notFound(`starter "${key.slice(0, 60)}" of your own`);
    await recordAct(trx, (await readStore(trx)).now, by, 'starter.removed', { key });
  });
}

import { addJobs, createWork } from '@/data/work';
import { inTransaction, type Db, type Sql } from '@/data/db';
import { readStore } from '@/data/store';

/** Raised inside long work when somebody has asked it to stop; its message says what was kept, when it is not nothing. */
export class Stopped extends Error {}

/** How long work tells where it stands; it throws {@link Stopped} when it is to stop. */
export type Report = (progress: { done?: number; total?: number | null; says?: string }) => Promise<void>;

export interface Finished {
  readonly says: string;
  readonly result?: object;
}

/** Puts long work in, with its job, in one transaction. */
export async function startWork(db: Db, work: { kind: string; name: string; detail: object; by: string }, given?: Sql): Promise<string> {
  const put = async (trx: Sql) => {
    const id = await createWork(trx, { ...work, at: new Date((await readStore(trx)).now) });
    await addJobs(trx, 'work', [{ id }], 3);
    return id;
  };
  return given ? put(given) : inTransaction(db, put);
}

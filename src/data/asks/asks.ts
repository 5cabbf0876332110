import type { AskKind, Effect, Run } from '@/core/flows';
import type { Value } from '@/core/rules';
import { addDuration, type Instant } from '@/core/time';
import { query, queryOne, rowsOf, type Sql } from '../db';

/** Something that a run asks outside, to be stored with the run's state. */
export interface NewAsk {
  readonly run: Run;
  readonly flowId: number;
  readonly version: number;
  readonly effect: Extract<Effect, { kind: AskKind }>;
  readonly at: Instant;
}

const ASKS = rowsOf({
  person_id: 'bigint',
  run_id: 'bigint',
  flow_id: 'int',
  version: 'int',
  step_id: 'text',
  visit: 'int',
  kind: 'text',
  about: 'jsonb',
  at: 'moment',
  until_at: 'moment',
});

/** Stores what runs ask; each once, by its run, step and visit. Answers with those that are new. */
export async function insertAsks(sql: Sql, asks: readonly NewAsk[], zone: string): Promise<{ id: string; kind: AskKind }[]> {
  if (!asks.length) return [];
  return query<{ id: string; kind: AskKind }>(
    sql,
    `insert into asks (person_id, run_id, flow_id, version, step_id, visit, kind, about, asked_at, until_at)
     select person_id, run_id, flow_id, version, step_id, visit, kind, about, at, until_at from ${ASKS.sql} as r
     on conflict (person_id, run_id, step_id, visit) do nothing returning id, kind`,
    {
      rows: ASKS.of(
        asks.map(({ run, flowId, version, effect, at }) => ({
          person_id: run.personId,
          run_id: run.id,
          flow_id: flowId,
          version,
          step_id: effect.stepId,
          visit: effect.visit,
          kind: effect.kind,
          about: effect.about,
          at: new Date(at),
          until_at: new Date(addDuration(at, effect.within, zone)),
        })),
      ),
    },
  );
}

export interface AskRow {
  readonly id: string;
  readonly person_id: string;
  readonly run_id: string;
  readonly flow_id: number;
  readonly version: number;
  readonly step_id: string;
  readonly visit: number;
  readonly kind: AskKind;
  readonly about: { readonly flow: string; readonly step: string; readonly about: string };
  readonly asked_at: Date;
  readonly until_at: Date;
  readonly state: 'open' | 'done' | 'failed';
  readonly tries: number;
  readonly error: string | null;
  readonly title: string | null;
  readonly said: string | null;
  readonly owner: string | null;
  readonly closed_at: Date | null;
  readonly closed_by: string | null;
  readonly note: string | null;
}

export const askRow = (sql: Sql, id: string): Promise<AskRow | null> =>
  /^\d{1,18}$/.test(id) ? queryOne<AskRow>(sql, 'select * from asks where id = :id', { id }) : Promise.resolve(null);

/** The same, locked until the transaction ends. */
export const lockAsk = (sql: Sql, id: string): Promise<AskRow | null> =>
  /^\d{1,18}$/.test(id) ? queryOne<AskRow>(sql, 'select * from asks where id = :id for update', { id }) : Promise.resolve(null);

/** So many that are open of one step, to be carried out together: locked, those that somebody else has in hand passed over. */
export const lockOthersAsked = (
  sql: Sql,
  { flow_id, version, step_id }: Pick<AskRow, 'flow_id' | 'version' | 'step_id'>,
  limit: number,
): Promise<AskRow[]> =>
  query<AskRow>(
    sql,
    `select * from asks where kind = 'others' and state = 'open' and flow_id = :flow_id and version = :version and step_id = :step_id
     order by id limit :limit for update skip locked`,
    { flow_id, version, step_id, limit },
  );

/** What there is to fill its texts in with: the person, what started the run, and what earlier steps were answered. */
export async function aboutAsk(
  sql: Sql,
  ask: Pick<AskRow, 'person_id' | 'run_id'>,
): Promise<{
  attributes: { readonly [name: string]: Value };
  about: { readonly [name: string]: Value } | null;
  answers: Run['answers'] | null;
} | null> {
  return queryOne(
    sql,
    `select p.attributes, r.answers,
       coalesce(r.about_data,
         (select e.properties from events e where e.person_id = r.person_id and e.time = r.about_at and e.id = r.about_event)) as about
     from people p left join runs r on r.person_id = p.id and r.id = :runId where p.id = :personId and p.erased_at is null`,
    { personId: ask.person_id, runId: ask.run_id },
  );
}

export async function writeTask(sql: Sql, id: string, task: { title: string; said: string; owner: string }): Promise<void> {
  await query(sql, 'update asks set title = :title, said = :said, owner = :owner where id = :id', { id, ...task });
}

/** Notes a try that has failed for now. */
export async function noteTry(sql: Sql, id: string, error: string): Promise<void> {
  await query(sql, 'update asks set tries = tries + 1, error = :error where id = :id', { id, error: error.slice(0, 500) });
}

export async function closeAsk(
  sql: Sql,
  id: string,
  closed: { state: 'done' | 'failed'; at: Instant; by: string | null; note: string | null; error: string | null },
): Promise<void> {
  await query(
    sql,
    `update asks set state = :state, closed_at = :at, closed_by = :by, note = :note, error = :error,
       tries = tries + case when kind in ('call', 'note') then 1 else 0 end where id = :id`,
    { id, ...closed, at: new Date(closed.at) },
  );
}

/** Opens one that has failed, or is closed by mistake, again. */
export async function openAgain(sql: Sql, id: string): Promise<void> {
  await query(sql, `update asks set state = 'open', closed_at = null, closed_by = null, note = null where id = :id`, { id });
}

export interface ListedAsk extends AskRow {
  readonly flow: string;
  readonly flow_name: string;
  readonly person: string;
  readonly person_name: string;
  readonly is_over: boolean;
}

/** What was asked, of some kinds and one state: open ones by when they are due, others the newest first; with how many there are. */
export async function listAsks(
  sql: Sql,
  {
    kind,
    state,
    owner = null,
    now,
    limit = 1000,
  }: { kind: readonly AskKind[]; state: AskRow['state']; owner?: string | null; now: Instant; limit?: number },
): Promise<{ rows: ListedAsk[]; total: number }> {
  const isOpen = state === 'open';
  const [count] = await query<{ total: number }>(
    sql,
    `select count(*)::int as total from asks where kind = any(cast(:kind as text[])) and state = :state ${owner === null ? '' : 'and owner = :owner'}`,
    { kind, state, ...(owner !== null && { owner }) },
  );
  const rows = await query<ListedAsk>(
    sql,
    `select a.*, f.key as flow, f.name as flow_name, coalesce(p.external_id, '~' || p.id) as person,
       coalesce(nullif(trim(concat_ws(' ', p.attributes ->> 'firstName', p.attributes ->> 'lastName')), ''),
         p.attributes ->> 'email', p.external_id, '') as person_name,
       a.until_at <= :now as is_over
     from asks a join flows f on f.id = a.flow_id join people p on p.id = a.person_id
     where a.kind = any(cast(:kind as text[])) and a.state = :state ${owner === null ? '' : 'and a.owner = :owner'}
     order by ${isOpen ? 'a.until_at, a.id' : 'a.closed_at desc, a.id desc'} limit :limit`,
    { kind, state, now: new Date(now), limit, ...(owner !== null && { owner }) },
  );
  return { rows, total: count!.total };
}

import { attributesHeard, type FlowDocument } from '@/core/flows';
import type { Value } from '@/core/rules';
import { query, type Sql } from '../db';

/** Sets of which attributes a flow is told that they change. */
export async function setHeard(sql: Sql, flowId: number, document: FlowDocument): Promise<void> {
  await query(sql, 'delete from flow_hears where flow_id = :flowId', { flowId });
  const names = [...attributesHeard([document])];
  if (names.length)
    await query(sql, 'insert into flow_hears (flow_id, attribute) select :flowId, unnest(cast(:names as text[]))', { flowId, names });
}

export interface ChangeToTell {
  readonly id: string;
  readonly person_id: string;
  readonly at_ms: string;
  readonly name: string;
  readonly was: Value;
  readonly is: Value;
  readonly cause: string;
  readonly hops: number;
}

/** Takes the oldest changes that are still to be told, in this transaction: with it they are told, or stay. */
export async function takeChanges(sql: Sql, limit: number): Promise<ChangeToTell[]> {
  const taken = await query<ChangeToTell>(
    sql,
    `delete from changes_to_tell where id in (select id from changes_to_tell order by id limit :limit for update skip locked)
     returning id, person_id, (extract(epoch from at) * 1000)::bigint as at_ms, name, was, "is", cause, hops`,
    { limit },
  );
  return taken.sort((a, b) => Number(a.id) - Number(b.id));
}

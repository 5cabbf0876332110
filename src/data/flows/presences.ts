import { query, type Sql } from '../db';

/** How long somebody counts as there after they were last heard of, in seconds. */
const STAYS = 15;

/** Notes that somebody has gone from a flow. */
export const leavePresence = (sql: Sql, flowId: number, tab: string): Promise<unknown> =>
  query(sql, 'delete from presences where flow_id = :flowId and tab = :tab', { flowId, tab });

/** Notes where somebody is in a flow, and answers with who else is there. */
export async function notePresence(
  sql: Sql,
  flowId: number,
  tab: string,
  name: string,
  step: string | null,
): Promise<{ name: string; step: string | null }[]> {
  await query(
    sql,
    `insert into presences (flow_id, tab, name, step) values (:flowId, :tab, :name, :step)
     on conflict (flow_id, tab) do update set name = excluded.name, step = excluded.step, seen_at = now()`,
    { flowId, tab, name, step },
  );
  await query(sql, `delete from presences where seen_at < now() - interval '1 hour'`);
  return query(
    sql,
    `select name, step from presences where flow_id = :flowId and tab <> :tab and seen_at > now() - make_interval(secs => :stays)
     order by name, tab limit 20`,
    { flowId, tab, stays: STAYS },
  );
}

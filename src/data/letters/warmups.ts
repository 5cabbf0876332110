import type { WarmUp } from '@/core/messages';
import { query, queryOne, type Sql } from '../db';

/** The plan by which a sender grows, and how many letters of it were handed over on a day; '' is the store's own sender. */
export interface WarmUpRow {
  readonly sender: string;
  readonly plan: WarmUp;
  /** how many days have passed since it began */
  readonly days: number;
  readonly handed: number;
}

/** Every plan, with where it stands on a day (of the store's zone, YYYY-MM-DD). */
export const listWarmUps = (sql: Sql, day: string): Promise<WarmUpRow[]> =>
  query<WarmUpRow>(
    sql,
    `select w.sender, w.plan, cast(:day as date) - w.began_on as days, coalesce(d.handed, 0) as handed
     from warm_ups w left join sender_days d on d.sender = w.sender and d.day = cast(:day as date)`,
    { day },
  );

/** Stores a plan; one that is changed goes on from the day on which it began. */
export async function saveWarmUp(sql: Sql, sender: string, plan: WarmUp, day: string): Promise<void> {
  await query(
    sql,
    `insert into warm_ups (sender, plan, began_on) values (:sender, :plan, cast(:day as date))
     on conflict (sender) do update set plan = excluded.plan`,
    { sender, plan: JSON.stringify(plan), day },
  );
}

export const deleteWarmUp = async (sql: Sql, sender: string): Promise<boolean> =>
  (await query(sql, 'delete from warm_ups where sender = :sender returning sender', { sender })).length > 0;

/** Takes up to so many places of a sender's day, of which there are at most `most`. Answers with how many there were. */
export async function takePlaces(
  sql: Sql,
  { sender, day, most, wanted }: { sender: string; day: string; most: number; wanted: number },
): Promise<number> {
  const its = { sender, day };
  await query(
    sql,
    `insert into sender_days (sender, day, handed) select sender, cast(:day as date), 0 from warm_ups where sender = :sender
     on conflict do nothing`,
    its,
  );
  const row = await queryOne<{ got: number }>(
    sql,
    `with was as (select handed from sender_days where sender = :sender and day = cast(:day as date) for update)
     update sender_days d set handed = greatest(was.handed, least(:most, was.handed + :wanted)) from was
     where d.sender = :sender and d.day = cast(:day as date) returning d.handed - was.handed as got`,
    { ...its, most, wanted },
  );
  // its plan is gone: nothing keeps it back
  return row?.got ?? wanted;
}

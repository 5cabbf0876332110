import { withoutChange, type FactEvent, type KnownFacts } from '@/core/rules';
import type { ReplayPerson } from '@/core/replay';
import type { Instant } from '@/core/time';
import { changesSince, loadEvents, loadFacts } from '../rules';
import { query, type Sql } from '../db';

const BATCH = 500;

export interface Recorded {
  readonly person: ReplayPerson;
  /** of the types asked for, ascending */
  readonly events: readonly FactEvent[];
}

/**
 * Streams recorded history for a replay, person by person in order of number: what was known of each at a moment, how that
 * has changed since, and their events of some types, without those that flows recorded: a replay records them anew. Memory
 * does not grow with the number of people.
 */
export async function* recordedPeople(sql: Sql, types: readonly string[], from: Instant): AsyncGenerator<Recorded> {
  for (let after = '0'; ;) {
    const ids = (
      await query<{ id: string }>(sql, 'select id from people where id > :after and erased_at is null order by id limit :limit', {
        after,
        limit: BATCH,
      })
    ).map((row) => row.id);
    if (!ids.length) return;
    after = ids.at(-1)!;
    const [facts, changes, events] = [
      await loadFacts(sql, new Map(ids.map((id) => [id, { events: [] }]))),
      await changesSince(sql, ids, from),
      await loadEvents(sql, ids, types, { isTold: true }),
    ];
    for (const id of ids) {
      const now = facts.get(id);
      if (!now) continue;
      const { personId: _, events: __, ...present } = now;
      const own = changes.get(id) ?? [];
      const known = own.reduceRight<KnownFacts>(withoutChange, present);
      yield { person: { id, known, changes: own }, events: events.get(id) ?? [] };
    }
  }
}

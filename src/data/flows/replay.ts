import { withoutChange, type FactChange, type FactEvent, type Facts, type KnownFacts } from '@/core/rules';
import { factsNeeded, UPDATED_BY, type EarlierRun } from '@/core/flows';
import { replayNeeds, type ReplayFlow, type ReplayPerson } from '@/core/replay';
import type { Instant } from '@/core/time';
import { changesSince, loadEvents, loadFacts, placesOf } from '../rules';
import { query, type Sql } from '../db';
import { runsBefore } from './runs';

const BATCH = 500;

export interface Recorded {
  readonly person: ReplayPerson;
  /** of the types asked for, ascending */
  readonly events: readonly FactEvent[];
  /** what they had entered of these flows before they were done anew, by flow: re-entry asks for it */
  readonly earlier: ReadonlyMap<string, readonly EarlierRun[]>;
}
const NONE: Recorded['earlier'] = new Map();

/**
 * Streams recorded history for a replay, person by person in order of number: what was known of each at a moment, how that
 * has changed since, and their events, as far as these flows look at it. What the flows did themselves comes with it up to `anew`,
 * their runs too; from then on it is left out, for they do it anew. Memory does not grow with the number of people.
 */
export async function* recordedPeople(
  sql: Sql,
  flows: readonly Pick<ReplayFlow, 'key' | 'document' | 'limits' | 'offers'>[],
  from: Instant,
  anew: Instant = from,
): AsyncGenerator<Recorded> {
  const types = replayNeeds(flows);
  const parts = factsNeeded(flows);
  const keys = flows.map(({ key }) => key);
  const causes = new Set(keys.map((key) => `${UPDATED_BY}${key}`));
  for (let after = '0'; ;) {
    const ids = (
      await query<{ id: string }>(sql, 'select id from people where id > :after and erased_at is null order by id limit :limit', {
        after,
        limit: BATCH,
      })
    ).map((row) => row.id);
    if (!ids.length) return;
    after = ids.at(-1)!;
    const [facts, changes, events, earlier] = [
      await loadFacts(sql, new Map(ids.map((id) => [id, { events: [] }])), parts),
      await changesSince(sql, ids, from),
      await loadEvents(sql, ids, types, { without: keys, since: anew }),
      await runsBefore(sql, ids, keys, anew),
    ];
    // the postcodes that they had on the way lie somewhere, too
    const places = parts.places
      ? await placesOf(
          sql,
          [...facts].flatMap(([id, now]) => livedAt(now.attributes, changes.get(id) ?? [])),
        )
      : {};
    for (const id of ids) {
      const now = facts.get(id);
      if (!now) continue;
      const { personId: _, events: __, ...present } = { ...now, places };
      const own = changes.get(id) ?? [];
      const known = own.reduceRight<KnownFacts>(withoutChange, present);
      const others = own.filter(({ at, cause }) => at < anew || !causes.has(cause));
      yield { person: { id, known, changes: others }, events: events.get(id) ?? [], earlier: earlier.get(id) ?? NONE };
    }
  }
}

/** The attributes of somebody now and after each change: with all countries and postcodes that they had. */
function livedAt(attributes: Facts['attributes'], changes: readonly FactChange[]): { attributes: Facts['attributes'] }[] {
  const values = (name: string) => [
    attributes[name],
    ...changes.flatMap((one) => (one.kind === 'attribute' && one.name === name ? [one.was, one.is] : [])),
  ];
  return values('country').flatMap((country) =>
    values('postcode').map((postcode) => ({ attributes: { country: country ?? null, postcode: postcode ?? null } })),
  );
}

import type { Knex } from 'knex';

/**
 * The successor of each former person, by every merge, also by those that can't be undone (a device or phone that turned out to be
 * someone's). `current_person` follows merges to their end, and `person_ids` returns the numbers that a person has had.
 * Locks: none on existing tables. Filled from the merges that are in effect.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table person_successors (
      person_id bigint primary key,
      successor_id bigint not null
    );
    create index person_successors_successor on person_successors (successor_id);
    insert into person_successors
      select distinct on (loser_id) loser_id, winner_id from merges where undone_at is null order by loser_id, id desc;
    create function current_person(former bigint) returns bigint language sql stable as $$
      with recursive chain as (
        select former as id, 0 as hops
        union all
        select s.successor_id, c.hops + 1 from chain c join person_successors s on s.person_id = c.id
      ) cycle id set is_cycle using path
      select id from chain where not is_cycle order by hops desc limit 1
    $$;
    -- an array, so that an index on a person's number can be used
    create function person_ids(person bigint) returns bigint[] language sql stable as $$
      with recursive own as (
        select person as id
        union
        select s.person_id from own o join person_successors s on s.successor_id = o.id
      )
      select array_agg(id) from own
    $$;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

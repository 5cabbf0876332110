import type { Knex } from 'knex';

/**
 * Who each former person has become, by every merge, also those that can't be undone (a device or phone that turned out to be someone's).
 * `current_person` follows them to their end, however many there are; `former_people` goes the other way.
 * Locks: none but on the new table; it is filled from the merges that stand.
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
    create function former_people(person bigint) returns setof bigint language sql stable as $$
      with recursive formers as (
        select s.person_id as id from person_successors s where s.successor_id = person
        union
        select s.person_id from formers f join person_successors s on s.successor_id = f.id
      )
      select id from formers where id <> person
    $$;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

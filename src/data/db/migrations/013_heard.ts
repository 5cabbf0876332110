import type { Knex } from 'knex';

/** Flows that start when an attribute changes: of which ones they are told, and what is still to be told. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table flow_hears (
      flow_id int not null,
      attribute text not null,
      primary key (flow_id, attribute)
    );
    create index flow_hears_attribute on flow_hears (attribute);

    create table changes_to_tell (
      id bigint generated always as identity primary key,
      person_id bigint not null,
      at timestamptz not null,
      name text not null,
      was jsonb,
      "is" jsonb,
      cause text not null,
      -- how many flows had led to it
      hops int not null
    );

    create function note_to_tell() returns trigger language plpgsql as $$
    begin
      insert into changes_to_tell (person_id, at, name, was, "is", cause, hops)
        select c.person_id, c.at, c.name, c.was, c."is", c.cause, coalesce(nullif(current_setting('viatic.hops', true), ''), '1')::int from changed c
        where c.kind = 'attribute' and exists (select 1 from flow_hears h where h.attribute = c.name) order by c.id;
      return null;
    end $$;
    create trigger note_to_tell after insert on fact_changes referencing new table as changed
      for each statement execute function note_to_tell();
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

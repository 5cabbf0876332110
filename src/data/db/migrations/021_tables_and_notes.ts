import type { Knex } from 'knex';

/**
 * Tables in which flows look rows up, each with the versions of it that were loaded; notes to colleagues, and changes of others of the
 * same household, as further things that a run asks to be done; letters whose words are filled in from what stands with them.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table lookup_tables (
      id int generated always as identity primary key,
      key text not null unique,
      name text not null,
      -- the one that is looked into
      version int not null,
      archived_at timestamptz
    );
    create table lookup_versions (
      table_id int not null references lookup_tables (id) on delete cascade,
      version int not null,
      key_column text not null,
      columns text[] not null,
      row_count int not null,
      at timestamptz not null,
      by text not null,
      primary key (table_id, version)
    );
    create table lookup_rows (
      table_id int not null,
      version int not null,
      place int not null,
      key text not null,
      data jsonb not null,
      primary key (table_id, version, key),
      foreign key (table_id, version) references lookup_versions (table_id, version) on delete cascade
    );
    alter table asks drop constraint asks_kind_check, add constraint asks_kind_check check (kind in ('call', 'task', 'note', 'others'));
    alter table letters drop constraint letters_purpose_check, add constraint letters_purpose_check check (purpose in ('confirm', 'by-hand', 'note')),
      add column about jsonb not null default '{}';
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

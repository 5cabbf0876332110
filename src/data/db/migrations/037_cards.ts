import type { Knex } from 'knex';

/** What letters, offers, forms, sources, lists and reports are for, who looks after them, and their tags. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table cards (
      kind text not null check (kind in ('message', 'offer', 'form', 'source', 'list', 'report')),
      key text not null,
      about text not null,
      owner text not null,
      tags text[] not null,
      primary key (kind, key)
    );
    create trigger cards_changes after insert or update or delete on cards
      for each row execute function note_change('key', 'about', 'owner', 'tags');
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

import type { Knex } from 'knex';

/** The languages in which the store writes, the usual one first. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table store add column languages text[] not null default '{en}';
    drop trigger store_changes on store;
    create trigger store_changes after insert or update of name, address, from_email, languages, currency, zone or delete on store
      for each row execute function note_change('name', 'name', 'address', 'from_email', 'languages', 'currency', 'zone');
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

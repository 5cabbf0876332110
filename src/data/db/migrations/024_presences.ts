import type { Knex } from 'knex';

/** Who has which flow open and where they are in it: worth nothing after a restart, so it is not logged. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create unlogged table presences (
      flow_id int not null references flows on delete cascade,
      tab text not null,
      name text not null,
      step text,
      seen_at timestamptz not null default now(),
      primary key (flow_id, tab)
    )`);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

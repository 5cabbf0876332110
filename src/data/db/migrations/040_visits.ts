import type { Knex } from 'knex';

/**
 * Runs count their visits, so that a step that is reached again after a move has effects of its own; what a run has done before it
 * was moved is kept with the path it took. Failures of the run loop are kept until it succeeds again.
 * Locks: runs briefly (both columns are added without a rewrite; few runs have been moved).
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table runs add column visit int not null default 1, add column done jsonb;
    update runs set done = (select jsonb_object_agg(step, null) from unnest(passed) step) where passed is not null;
    -- "passed" stays for processes of the version before, which still read it
    -- one row for each process whose loop has failed since it last succeeded
    create table run_loop_failures (
      process text primary key,
      failures int not null,
      since timestamptz not null default now(),
      at timestamptz not null default now(),
      error text not null
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

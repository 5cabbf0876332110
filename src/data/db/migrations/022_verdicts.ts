import type { Knex } from 'knex';

/** What became of tests that decide by themselves: looked at once for each form of the test, and never again. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table test_verdicts (
      flow_id int not null,
      step_id text not null,
      -- the test as it was: another form of it is another test
      test text not null,
      at timestamptz not null,
      -- the arm that was kept; null where no difference was sure
      arm text,
      counts jsonb not null
    );
    create index test_verdicts_flow on test_verdicts (flow_id, step_id);
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

import type { Knex } from 'knex';

/** What flows have asked outside: of servers (calls) and of colleagues (tasks). */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table asks (
      id bigint generated always as identity primary key,
      person_id bigint not null,
      run_id bigint not null,
      flow_id int not null,
      version int not null,
      step_id text not null,
      visit int not null,
      kind text not null check (kind in ('call', 'task')),
      -- what the answer bears: by it the run knows it
      about jsonb not null,
      asked_at timestamptz not null,
      -- up to when the run waits
      until_at timestamptz not null,
      state text not null default 'open' check (state in ('open', 'done', 'failed')),
      tries int not null default 0,
      -- why a call has failed, for now or for good
      error text,
      -- what a task says, filled in; who does it
      title text,
      said text,
      owner text,
      closed_at timestamptz,
      closed_by text,
      note text,
      unique (person_id, run_id, step_id, visit)
    );
    create index asks_open on asks (kind, until_at) where state = 'open';
    create index asks_closed on asks (kind, closed_at desc) where state <> 'open';
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

import type { Knex } from 'knex';

/** Sessions that end on the server, brakes, and what keeps a fault from stopping the store. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table sessions (
      digest text primary key,
      user_id bigint not null references users on delete cascade,
      started_at timestamptz not null default now(),
      seen_at timestamptz not null default now(),
      ends_at timestamptz not null,
      address text not null default '',
      agent text not null default ''
    );
    create index sessions_user on sessions (user_id);

    -- in the shape that rate-limiter-flexible reads and writes
    create table brakes (key varchar(255) primary key, points int not null default 0, expire bigint);

    -- the secret with which a shop's server signs who is at a page
    update sources set secret = 'vsig_' || translate(encode(sha256(convert_to(gen_random_uuid()::text || gen_random_uuid()::text, 'UTF8')),
      'base64'), '+/=' || chr(10), '-_')
      where kind = 'snippet' and secret is null;

    -- the address that a visitor says is theirs, at a page and without proof: shown, and never taken for theirs
    alter table people add column claims_email text;

    -- the worker in whose hands a send or a letter is while it goes out, for no transaction stands open meanwhile
    alter table sends add column held_by int;
    alter table letters add column held_by int;
    update sends set state = 'delivered' where state = 'sent' and delivered_at is not null;

    -- what was said of people under names that did not become attributes
    create table unkept_names (name text primary key, events bigint not null, last_at timestamptz not null);

    -- a form says which sites may show it in a frame
    update forms set document = document || '{"sites": []}' where not jsonb_exists(document, 'sites');

    -- a spreadsheet cuts white space off before it looks for a formula, and takes full-width signs for the plain ones; see core/imports/formula.ts
    create or replace function csv_safe(cell text) returns text language sql immutable as $$
      select case when cell ~ '^[[:space:][:cntrl:]\\u00a0\\u2000-\\u200d\\u2028\\u2029\\u202f\\u205f\\u2060\\u3000\\ufeff]*[=+@\\uff1d\\uff0b\\uff20\\uff0d\\u2212-]' and cell !~ '^[+-]{0,1}[0-9]+([.,][0-9]+)*$'
          or left(cell, 1) in (chr(9), chr(10), chr(13)) then '''' || cell else cell end
    $$;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

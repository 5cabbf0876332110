import type { Knex } from 'knex';

/** Who works here: roles, links by which somebody joins or sets another password, and a second factor. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    alter table users
      add column role text not null default 'owner' check (role in ('owner', 'editor', 'writer', 'analyst')),
      add column invited_by text,
      -- null as long as somebody has not taken an invitation up
      add column joined_at timestamptz,
      -- RFC 6238: the shared secret, sealed, and since when it is asked for
      add column totp_sealed text,
      add column totp_since timestamptz,
      -- a code is good once (RFC 6238, 5.2): the step of the last one
      add column totp_step bigint;
    update users set joined_at = created_at;
    create table user_links (
      digest text primary key,
      user_id bigint not null references users on delete cascade,
      purpose text not null check (purpose in ('join', 'reset')),
      ends_at timestamptz not null
    );
    create index user_links_user on user_links (user_id);
    create table recovery_codes (
      user_id bigint not null references users on delete cascade,
      digest text not null,
      used_at timestamptz,
      primary key (user_id, digest)
    );
    create index acts_at on acts (at desc, id desc);
    create function refuse_act() returns trigger language plpgsql as $$ begin
      raise exception 'the log is only added to';
    end $$;
    create trigger acts_stay before update or delete on acts for each statement execute function refuse_act();
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

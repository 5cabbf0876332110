import type { Knex } from 'knex';

/** Keys of devices by which somebody signs in without a password (WebAuthn), and what was asked of a device that has not answered yet. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table passkeys (
      id text primary key,
      user_id bigint not null references users on delete cascade,
      name text not null,
      public_key bytea not null,
      -- how often the device says the key was used, where it counts that
      counter bigint not null,
      transports text[] not null,
      made_at timestamptz not null default now(),
      used_at timestamptz
    );
    create index passkeys_user on passkeys (user_id);
    -- each is good once
    create table passkey_asks (
      challenge text primary key,
      -- whose device is asked to make a key; null where any is asked to sign in
      user_id bigint references users on delete cascade,
      ends_at timestamptz not null
    );
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

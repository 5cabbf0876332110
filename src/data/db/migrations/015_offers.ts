import type { Knex } from 'knex';

/** Offers and the codes that are issued under them. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table offers (
      key text primary key,
      document jsonb not null,
      -- so many codes have been issued, and so much discount has been given: kept where the offer bounds it
      issued bigint not null default 0,
      spent_minor bigint not null default 0,
      created_at timestamptz not null,
      created_by text not null,
      changed_at timestamptz not null,
      archived_at timestamptz
    );

    create table codes (
      id bigint generated always as identity primary key,
      -- how it is looked up, however it was typed
      spelling text not null unique,
      code text not null,
      offer text not null references offers (key),
      -- whom it belongs to; nobody yet while it only lies in store
      person_id bigint,
      run_id bigint,
      flow_id int,
      step_id text,
      visit int,
      -- a flow, somebody by hand
      how text,
      issued_at timestamptz,
      expires_at timestamptz,
      -- the first order that names it, whoever's that is
      used_at timestamptz,
      used_by bigint,
      order_id text,
      discount_minor bigint,
      currency text,
      -- that it was used, or has expired, has been told
      is_told boolean not null default false,
      unique (person_id, run_id, step_id, visit)
    );
    create index codes_of_person on codes (person_id, issued_at) where person_id is not null;
    create index codes_of_offer on codes (offer, coalesce(issued_at, 'epoch'::timestamptz) desc, id desc);
    create index codes_in_store on codes (offer, id) where issued_at is null;
    create index codes_used on codes (offer, used_at) where used_at is not null;
    create index codes_used_by on codes (used_by) where used_by is not null;
    create index codes_to_tell on codes ((least(used_at, expires_at))) where not is_told and issued_at is not null
      and (used_at is not null or expires_at is not null);

    create index traces_withheld on traces ((saw ->> 'of'), at) where kind = 'withheld';

    -- the codes that an order names, as they are looked up
    alter table orders add column codes text[] not null default '{}';
    create index orders_codes on orders using gin (codes) where codes <> '{}';

    -- by which it is found who shares a phone number or an address with whom
    create index people_phone on people ((attributes ->> 'phone')) where attributes ->> 'phone' is not null;
    create index people_address on people ((lower(attributes ->> 'postcode')), (lower(attributes ->> 'address')))
      where attributes ->> 'address' is not null and attributes ->> 'postcode' is not null;
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

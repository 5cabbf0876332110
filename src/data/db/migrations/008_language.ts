import type { Knex } from 'knex';

/** What rules look up: since when somebody has been on a list, where postcodes lie, what currencies were worth, groups of countries. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table places (
      country text not null,
      -- in capitals, without spaces
      postcode text not null,
      latitude double precision not null,
      longitude double precision not null,
      primary key (country, postcode)
    );
    create table currency_rates (
      currency text not null,
      day date not null,
      -- what one unit was worth in the store's currency, in millionths
      micro bigint not null check (micro > 0),
      primary key (currency, day)
    );
    create table country_groups (
      key text primary key,
      name text not null,
      codes text[] not null
    );
    -- another one for each change of the two above: who has looked them up knows whether that still stands
    alter table store add column world uuid not null default gen_random_uuid();

    -- haversine; the same as distanceKm in core/places
    create function distance_km(lat1 double precision, lon1 double precision, lat2 double precision, lon2 double precision, radius double precision)
      returns double precision language sql immutable strict as $$
      select 2 * radius * asin(least(1, sqrt(power(sin(radians(lat2 - lat1) / 2), 2)
        + cos(radians(lat1)) * cos(radians(lat2)) * power(sin(radians(lon2 - lon1) / 2), 2))))
    $$;

    create or replace function fact_signals(kind text, name text) returns text[] language sql immutable as $$
      select case kind
        when 'attribute' then array['attribute/' || split_part(name, '.', 1)] || case name when 'email' then array['reach/email'] when 'phone'
          then array['reach/sms'] when 'pushToken' then array['reach/push'] else '{}' end
        when 'consent' then array['reach/' || name]
        when 'suppression' then array['reach/' || name]
        when 'pause' then array['reach/email', 'reach/sms', 'reach/push']
        when 'topic' then array['topic/' || name]
        when 'tag' then array['tag/' || name]
        when 'list' then array['list/' || name]
        when 'segment' then array['segment/' || name]
        else '{}' end
    $$;
    create index fact_changes_attribute on fact_changes (person_id, name, at) where kind = 'attribute';
  `);
  // of who came to be on a list it is written down since when, so that a replay knows it, too
  const since = (row: string) => `to_jsonb((extract(epoch from ${row}) * 1000)::bigint)`;
  for (const [name, was, is] of [
    ['note_list_members_insert', `'true'::jsonb as "is"`, `${since('n.at')} as "is"`],
    ['note_list_members_delete', `'true'::jsonb as was`, `${since('o.at')} as was`],
    ['note_person_tags_insert', `'true'::jsonb as "is"`, `${since('n.at')} as "is"`],
    ['note_person_tags_delete', `'true'::jsonb as was`, `${since('o.at')} as was`],
    ['note_segment_members_insert', `'true'::jsonb`, since('since')],
    ['note_segment_members_delete', `'true'::jsonb`, since('since')],
  ] as const) {
    const { rows } = await knex.raw<{ rows: { text: string }[] }>(`select pg_get_functiondef('${name}'::regproc) as text`);
    const text = rows[0]!.text.replaceAll(was, is).replaceAll('select m.person_id, s.key from', 'select m.person_id, s.key, m.since from');
    if (text === rows[0]!.text) throw new Error(`${name} is not what it was`);
    await knex.raw(text.replaceAll('?', '\\?'));
  }
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

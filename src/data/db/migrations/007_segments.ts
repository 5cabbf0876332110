import type { Knex } from 'knex';

/**
 * Segments and who is in them. The database itself notes whom to look at: a statement that changes what is known of people,
 * or makes people, leaves a note for each with the signals that some segment waits for.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- a day that a text says, as core/time/day.ts reads it; null where it says none
    create function day_of(value jsonb) returns date language sql immutable as $$
      select case when jsonb_typeof(value) = 'string' and t ~ '^\\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\\d|3[01])$' and substr(t, 1, 4) <> '0000'
        and substr(t, 9)::int <= extract(day from make_date(substr(t, 1, 4)::int, substr(t, 6, 2)::int, 1) + interval '1 month - 1 day')
        then make_date(substr(t, 1, 4)::int, substr(t, 6, 2)::int, substr(t, 9)::int) end from (select value #>> '{}' as t) read
    $$;
    -- the same day of another year; 29 February is the 28th where there is none
    create function anniversary(day date, year int) returns date language sql immutable as $$
      select make_date(year, extract(month from day)::int, least(extract(day from day)::int,
        extract(day from make_date(year, extract(month from day)::int, 1) + interval '1 month - 1 day')::int))
    $$;

    create table segments (
      id int generated always as identity primary key,
      key text not null unique,
      document jsonb not null,
      revision int not null default 1,
      -- the rule by which membership is kept: the document's, once it is built
      rule jsonb,
      built_revision int,
      built_at timestamptz,
      first_size int not null default 0,
      first_at timestamptz,
      -- event types and facts at which an answer can change, of the document's rule and the one that is kept
      wakes_on text[] not null default '{}',
      work_id bigint,
      created_at timestamptz not null,
      created_by text not null,
      changed_at timestamptz not null,
      archived_at timestamptz
    );
    create table segment_members (
      segment_id int not null,
      person_id bigint not null,
      since timestamptz not null,
      cause text not null,
      primary key (person_id, segment_id)
    );
    create index segment_members_since on segment_members (segment_id, since desc, person_id);
    -- who joined and left after it was first built; a person who is erased is 0
    create table segment_log (
      id bigint generated always as identity primary key,
      segment_id int not null,
      person_id bigint not null,
      at timestamptz not null,
      act text not null check (act in ('joined', 'left')),
      cause text not null
    );
    create index segment_log_at on segment_log (segment_id, at desc, id desc);
    create index segment_log_person on segment_log (person_id);

    -- whom to look at: the earliest moment at which time alone can change an answer, and what has become known
    create table segment_looks (
      person_id bigint primary key,
      due_at timestamptz not null,
      until_at timestamptz,
      signals text[] not null default '{}',
      noted_in xid8 not null default pg_current_xact_id()
    );
    create index segment_looks_due on segment_looks (due_at);
    -- all signals that any segment waits for
    create table segment_signals (signal text primary key);

    create or replace function fact_signals(kind text, name text) returns text[] language sql immutable as $$
      select case kind
        when 'attribute' then array['attribute/' || split_part(name, '.', 1)] || case name when 'email' then array['reach/email'] when 'phone'
          then array['reach/sms'] when 'pushToken' then array['reach/push'] else '{}' end
        when 'consent' then array['reach/' || name]
        when 'suppression' then array['reach/' || name]
        when 'pause' then array['reach/email', 'reach/sms', 'reach/push']
        when 'tag' then array['tag/' || name]
        when 'list' then array['list/' || name]
        when 'segment' then array['segment/' || name]
        else '{}' end
    $$;

    create function look_at(person_ids bigint[], moment timestamptz) returns void language sql as $$
      insert into segment_looks (person_id, due_at, signals) select id, moment, '{*}' from unnest(person_ids) as id
        where exists (select 1 from segments where archived_at is null)
      on conflict (person_id) do update set due_at = least(segment_looks.due_at, excluded.due_at),
        signals = array(select distinct unnest(segment_looks.signals || excluded.signals)), noted_in = pg_current_xact_id()
    $$;

    create function look_at_changed() returns trigger language plpgsql as $$
    begin
      insert into segment_looks (person_id, due_at, signals)
        select c.person_id, min(c.at), array_agg(distinct s.signal) from changed c
        cross join lateral unnest(fact_signals(c.kind, c.name)) as f(signal) join segment_signals s on s.signal = f.signal group by 1 order by 1
      on conflict (person_id) do update set due_at = least(segment_looks.due_at, excluded.due_at), noted_in = pg_current_xact_id(),
        signals = array(select distinct unnest(segment_looks.signals || excluded.signals));
      return null;
    end $$;
    create trigger look_at_changed after insert on fact_changes referencing new table as changed
      for each statement execute function look_at_changed();

    create function look_at_new() returns trigger language plpgsql as $$
    begin
      perform look_at(array_agg(id order by id), (select now() + clock_offset_ms * interval '1 millisecond' from store)) from made having count(*) > 0;
      return null;
    end $$;
    create trigger look_at_new after insert on people referencing new table as made for each statement execute function look_at_new();

    -- who is gone is in no segment any more
    create function leave_segments() returns trigger language plpgsql as $$
    declare history text := current_setting('viatic.history', true);
    begin
      if not exists (select 1 from segment_members m join gone g on g.id = m.person_id)
        and not exists (select 1 from segment_looks l join gone g on g.id = l.person_id) then return null; end if;
      perform set_config('viatic.history', 'off', true);
      with leaving as (delete from segment_members m using gone g where m.person_id = g.id returning m.segment_id, m.person_id)
      insert into segment_log (segment_id, person_id, at, act, cause)
        select segment_id, person_id, (select now() + clock_offset_ms * interval '1 millisecond' from store), 'left', 'gone' from leaving;
      delete from segment_looks l using gone g where l.person_id = g.id;
      perform set_config('viatic.history', coalesce(history, ''), true);
      return null;
    end $$;
    create trigger leave_segments after delete on people referencing old table as gone for each statement execute function leave_segments();
  `);
  for (const [act, rows, was, is] of [
    ['insert', 'new table as changed_rows', 'null::jsonb', `'true'::jsonb`],
    ['delete', 'old table as changed_rows', `'true'::jsonb`, 'null::jsonb'],
  ] as const) {
    await knex.raw(`
      create function note_segment_members_${act}() returns trigger language plpgsql as $$
      declare moment timestamptz;
      begin
        if current_setting('viatic.history', true) = 'off' then return null; end if;
        moment := (select now() + clock_offset_ms * interval '1 millisecond' from store);
        with changed as (select m.person_id, s.key from changed_rows m join segments s on s.id = m.segment_id), written as (
          insert into fact_changes (person_id, at, kind, name, was, "is", cause)
          select person_id, moment, 'segment', key, ${was}, ${is}, coalesce(nullif(current_setting('viatic.cause', true), ''), 'events') from changed
        ), signals as (select person_id, array_agg(distinct 'segment/' || key) as signals from changed group by 1)
        update runs r set wake_at = least(coalesce(r.wake_at, moment), moment) from signals s
        where r.person_id = s.person_id and r.phase <> 'ended' and r.wakes_on && s.signals;
        return null;
      end $$;
      create trigger note_${act} after ${act} on segment_members referencing ${rows}
        for each statement execute function note_segment_members_${act}();`);
  }
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

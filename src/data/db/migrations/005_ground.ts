import type { Knex } from 'knex';

/**
 * What a table tells of people, as changes: for the statement that wrote to it, from the rows before it (`old_rows`) and
 * after it (`new_rows`). A fact that somebody is first known with, in the transaction that makes them, is no change.
 */
const FACTS: Record<string, { insert?: string; update?: string; delete?: string }> = {
  people: {
    update: `select n.id as person_id, 'attribute' as kind, name, o.attributes -> name as was, n.attributes -> name as "is"
      from old_rows o join new_rows n on n.id = o.id and n.attributes <> o.attributes
      cross join lateral (select key as name from jsonb_each(o.attributes) union select key from jsonb_each(n.attributes)) names
      where (o.attributes -> name) is distinct from (n.attributes -> name) and n.erased_at is null
      union all
      select n.id, 'pause', '', to_jsonb((extract(epoch from o.paused_until) * 1000)::bigint), to_jsonb((extract(epoch from n.paused_until) * 1000)::bigint)
      from old_rows o join new_rows n on n.id = o.id and n.paused_until is distinct from o.paused_until where n.erased_at is null`,
  },
  consents: {
    insert: `select n.person_id, 'consent' as kind, n.channel as name, null::jsonb as was, to_jsonb(n.state) as "is" from new_rows n
      where is_older(n.person_id)`,
    update: `select n.person_id, 'consent' as kind, n.channel as name, to_jsonb(o.state) as was, to_jsonb(n.state) as "is"
      from old_rows o join new_rows n using (person_id, channel) where n.state <> o.state`,
    delete: `select o.person_id, 'consent' as kind, o.channel as name, to_jsonb(o.state) as was, null::jsonb as "is" from old_rows o`,
  },
  suppressions: {
    insert: `select i.person_id, 'suppression' as kind, n.channel as name, null::jsonb as was, to_jsonb(n.reason) as "is"
      from new_rows n join identifiers i on i.kind = case n.channel when 'email' then 'email' when 'sms' then 'phone' end and i.value = n.address`,
    update: `select i.person_id, 'suppression' as kind, n.channel as name, to_jsonb(o.reason) as was, to_jsonb(n.reason) as "is"
      from old_rows o join new_rows n using (channel, address)
      join identifiers i on i.kind = case n.channel when 'email' then 'email' when 'sms' then 'phone' end and i.value = n.address where n.reason <> o.reason`,
    delete: `select i.person_id, 'suppression' as kind, o.channel as name, to_jsonb(o.reason) as was, null::jsonb as "is"
      from old_rows o join identifiers i on i.kind = case o.channel when 'email' then 'email' when 'sms' then 'phone' end and i.value = o.address`,
  },
  declined_topics: {
    insert: `select n.person_id, 'topic' as kind, n.topic as name, null::jsonb as was, 'true'::jsonb as "is" from new_rows n where is_older(n.person_id)`,
    delete: `select o.person_id, 'topic' as kind, o.topic as name, 'true'::jsonb as was, null::jsonb as "is" from old_rows o`,
  },
  person_tags: {
    insert: `select n.person_id, 'tag' as kind, n.tag as name, null::jsonb as was, 'true'::jsonb as "is" from new_rows n where is_older(n.person_id)`,
    delete: `select o.person_id, 'tag' as kind, o.tag as name, 'true'::jsonb as was, null::jsonb as "is" from old_rows o`,
  },
  list_members: {
    insert: `select n.person_id, 'list' as kind, l.key as name, null::jsonb as was, 'true'::jsonb as "is" from new_rows n
      join lists l on l.id = n.list_id where is_older(n.person_id)`,
    delete: `select o.person_id, 'list' as kind, l.key as name, 'true'::jsonb as was, null::jsonb as "is" from old_rows o join lists l on l.id = o.list_id`,
  },
};

/** The one function that writes changes down and wakes whoever waits for them, for each table and act. */
function noting(table: string, act: 'insert' | 'update' | 'delete', select: string): string {
  const rows =
    act === 'insert' ? 'new table as new_rows' : act === 'delete' ? 'old table as old_rows' : 'old table as old_rows new table as new_rows';
  return `
    create function note_${table}_${act}() returns trigger language plpgsql as $$
    declare moment timestamptz;
    begin
      if current_setting('viatic.history', true) = 'off' or not exists (${select}) then return null; end if;
      moment := (select now() + clock_offset_ms * interval '1 millisecond' from store);
      if moment is null then return null; end if;
      with changed as (${select}), written as (
        insert into fact_changes (person_id, at, kind, name, was, "is", cause)
        select person_id, moment, kind, name, was, "is", coalesce(nullif(current_setting('viatic.cause', true), ''), 'events') from changed
      ), signals as (
        select person_id, array_agg(distinct signal) as signals from changed, unnest(fact_signals(kind, name)) as signal group by 1
      )
      update runs r set wake_at = least(coalesce(r.wake_at, moment), moment) from signals s
      where r.person_id = s.person_id and r.phase <> 'ended' and r.wakes_on && s.signals;
      return null;
    end $$;
    create trigger note_${act} after ${act} on ${table} referencing ${rows} for each statement execute function note_${table}_${act}();`;
}

/** What is known of people has a history; runs carry what they are about; traces are data; runs that break are set aside. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- every change of what is known of somebody beside what happened: see core/rules/changes.ts
    create table fact_changes (
      person_id bigint not null,
      id bigint generated always as identity,
      at timestamptz not null,
      kind text not null,
      name text not null,
      was jsonb,
      "is" jsonb,
      cause text not null,
      primary key (person_id, at, id)
    ) partition by range (at);
    create table fact_changes_other partition of fact_changes default;

    create or replace function make_event_months(first date, months int) returns void language plpgsql as $$
    declare
      month date;
      whole text;
    begin
      for n in 0 .. months - 1 loop
        month := (date_trunc('month', first) + make_interval(months => n))::date;
        foreach whole in array array['events', 'fact_changes'] loop
          if to_regclass(format('%s_%s', whole, to_char(month, 'YYYY_MM'))) is null then
            execute format('create table %I partition of %I for values from (%L) to (%L)', whole || '_' || to_char(month, 'YYYY_MM'), whole,
              month::timestamp at time zone 'UTC', (month + interval '1 month') at time zone 'UTC');
          end if;
        end loop;
      end loop;
    end $$;

    -- the transaction that made a person: what it tells of them is no change
    alter table people add column born xid8 default pg_current_xact_id();
    create function is_older(id bigint) returns boolean language sql stable as $$ select coalesce((select p.born is distinct from pg_current_xact_id()
      from people p where p.id = $1), false) $$;
    -- which signals a change sends; the same as signalsOf in core/rules/changes.ts
    create function fact_signals(kind text, name text) returns text[] language sql immutable as $$
      select case kind
        when 'attribute' then array['attribute/' || split_part(name, '.', 1)] || case name when 'email' then array['reach/email'] when 'phone'
          then array['reach/sms'] when 'pushToken' then array['reach/push'] else '{}' end
        when 'consent' then array['reach/' || name]
        when 'suppression' then array['reach/' || name]
        when 'pause' then array['reach/email', 'reach/sms', 'reach/push']
        when 'tag' then array['tag/' || name]
        when 'list' then array['list/' || name]
        else '{}' end
    $$;

    -- the newest so many events of a type, however many there are
    create index events_type on events (person_id, type, time desc, id desc);

    alter table flows add column trigger_events text[] not null default '{}';
    update flows set trigger_events = array[trigger_event] where trigger_event is not null;
    alter table flows drop column trigger_event;

    alter table runs
      add column trigger text not null default 'start',
      add column about_at timestamptz,
      add column about_event bigint,
      add column about_data jsonb,
      add column effects int not null default 0,
      -- something has become known since that could show that its trigger had not come about
      add column is_doubtful boolean not null default false,
      -- why a run that broke was set aside, and how often it was tried
      add column broken text,
      add column tries int not null default 0;
    update runs r set about_event = e.id, about_at = e.time, trigger = case when e.type = 'flow.called' then 'called' else 'start' end
      from events e where r.trigger_id is not null and e.person_id = r.person_id and e.id = r.trigger_id;
    update runs r set effects = s.count from (select person_id, run_id, count(*)::int as count from sends group by 1, 2) s
      where s.person_id = r.person_id and s.run_id = r.id;
    alter table runs drop column trigger_id;
    alter table sends drop column trigger_id;
    drop index runs_key, runs_open;
    create unique index runs_key on runs (person_id, flow_id, key, trigger, (case when phase = 'armed' then 0 else id end));
    create index runs_open on runs (person_id) where phase <> 'ended';
    create index runs_refused on runs (flow_id, ended_at) where outcome = 'not-entered';
    create index runs_broken on runs (flow_id) where broken is not null;
    -- armed runs of before wait for what ends their silence, too
    update runs r set wakes_on = array[v.document #>> '{trigger,unless,event}'] from flow_versions v
      where r.phase = 'armed' and v.flow_id = r.flow_id and v.version = r.version and v.document #>> '{trigger,unless,event}' is not null;

    -- entries of before carry their words; since then they are data, and the words are made when somebody reads them
    alter table traces alter column says drop not null, add column version int, add column arm text, add column saw jsonb;
  `);
  for (const [table, acts] of Object.entries(FACTS)) {
    for (const [act, select] of Object.entries(acts)) await knex.raw(noting(table, act as 'insert', select));
  }
  await knex.raw(`select make_event_months((now() - interval '25 months')::date, 30)`);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

import type { Knex } from 'knex';

/**
 * Which columns of what is written by hand stand in the log with what they were and are, after the column that names the row. Left
 * out is what is kept with its versions (documents of flows, letters, tables, mappings), what is secret, and what is on file about
 * people: the log is only added to, and whoever wants to be forgotten is.
 */
const WATCHED: Record<string, readonly [key: string, ...columns: string[]]> = {
  attributes: ['name', 'type', 'is_declared', 'about', 'goes_to', 'retired_at'],
  brands: ['key', 'document', 'is_first'],
  country_groups: ['key', 'name', 'codes'],
  feeds: ['key', 'name', 'url', 'every_minutes'],
  flows: ['key', 'name', 'state', 'version'],
  forms: ['key', 'name', 'document', 'is_open', 'archived_at'],
  library: ['key', 'name', 'kind', 'tags', 'revision', 'archived_at'],
  lists: ['key', 'name', 'about', 'double_opt_in', 'confirmation', 'archived_at'],
  lookup_tables: ['key', 'name', 'version', 'archived_at'],
  offers: ['key', 'document', 'archived_at'],
  product_feeds: ['key', 'name', 'url', 'every_minutes', 'mapping'],
  reports: ['key', 'document'],
  segments: ['key', 'document', 'archived_at'],
  senders: ['key', 'name', 'address', 'verified_at'],
  sources: ['key', 'kind', 'name', 'scopes', 'settings', 'revoked_at'],
  starters: ['key', 'name', 'says'],
  store: ['name', 'name', 'address', 'from_email', 'currency', 'zone'],
  topics: ['key', 'name', 'about', 'position'],
  users: ['name', 'name', 'role', 'joined_at', 'totp_since'],
  warm_ups: ['sender', 'plan'],
};

/**
 * What an act has changed stands with it: the database notes, for the transaction in hand, each row of those tables as it was and as
 * it is, and whoever writes down the act in the same transaction writes that down with it.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create function note_change() returns trigger language plpgsql as $$
    declare
      watched text[] := tg_argv[1:];
      was jsonb := (select jsonb_object_agg(f.key, f.value) from jsonb_each(case when tg_op = 'INSERT' then '{}' else to_jsonb(old) end) f
        where f.key = any (watched));
      now_is jsonb := (select jsonb_object_agg(f.key, f.value) from jsonb_each(case when tg_op = 'DELETE' then '{}' else to_jsonb(new) end) f
        where f.key = any (watched));
      noted text := coalesce(current_setting('viatic.changes', true), '');
      change jsonb;
    begin
      if was is not distinct from now_is then return null; end if;
      -- of what was there and is still, only what differs
      if was is not null and now_is is not null then
        select jsonb_object_agg(w.key, w.value), jsonb_object_agg(w.key, now_is -> w.key) into was, now_is
        from jsonb_each(was) w where w.value is distinct from now_is -> w.key;
      end if;
      change := jsonb_build_object('of', tg_table_name, 'key', to_jsonb(case when tg_op = 'DELETE' then old else new end) -> tg_argv[0],
        'was', was, 'is', now_is);
      -- an act that changes thousands of rows says so itself
      if length(noted) < 200000 then
        perform set_config('viatic.changes', (coalesce(nullif(noted, ''), '[]')::jsonb || change)::text, true);
      end if;
      return null;
    end $$;
    create function take_changes() returns trigger language plpgsql as $$ begin
      new.changes := coalesce(nullif(current_setting('viatic.changes', true), ''), '[]')::jsonb;
      perform set_config('viatic.changes', '', true);
      return new;
    end $$;
    alter table acts add column changes jsonb not null default '[]';
    create trigger acts_changes before insert on acts for each row execute function take_changes();
    create trigger settings_changes after insert or update on settings for each row
      when (new.name in ('checkoutBox', 'kept', 'limits', 'revenue', 'text-prices', 'tracking'))
      execute function note_change('name', 'value');
  `);
  for (const [table, [key, ...columns]] of Object.entries(WATCHED)) {
    const args = [key, ...columns].map((name) => `'${name}'`).join(', ');
    await knex.raw(
      `create trigger ${table}_changes after insert or update of ${columns.join(', ')} or delete on ${table}
       for each row execute function note_change(${args})`,
    );
  }
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

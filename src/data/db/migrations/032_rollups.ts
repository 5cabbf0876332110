import type { Knex } from 'knex';

/**
 * Takings and credit summed up by the store's days. A day's sums stand for its rows only while it is in `summed_days` and not in
 * `stale_days`: whatever changes rows of a day leaves a note there in the same transaction, so sums and notes are seen together.
 */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    create table takings_days (
      day date not null, currency text not null, takings bigint not null, orders int not null,
      primary key (day, currency)
    );
    -- a step '' is the flow as a whole, in which an order counts once
    create table credit_days (
      day date not null, currency text not null, model text not null, flow_id int not null, step_id text not null,
      minor bigint not null, orders int not null,
      primary key (day, model, currency, flow_id, step_id)
    );
    create table summed_days (day date primary key);
    -- notes are only added and never waited for: of one day there may be many
    create table stale_days (day date not null);
    create index stale_days_day on stale_days (day);

    create function note_booked() returns trigger language plpgsql as $$ begin
      insert into stale_days select distinct (c.at at time zone s.zone)::date from changed c cross join store s;
      return null;
    end $$;
    create function note_credited() returns trigger language plpgsql as $$ begin
      insert into stale_days select distinct (c.placed_at at time zone s.zone)::date from changed c cross join store s;
      return null;
    end $$;
    create function forget_sums() returns trigger language plpgsql as $$ begin
      delete from summed_days;
      return null;
    end $$;
    create trigger bookings_added after insert on bookings referencing new table as changed for each statement execute function note_booked();
    create trigger bookings_taken after delete on bookings referencing old table as changed for each statement execute function note_booked();
    create trigger bookings_were after update on bookings referencing old table as changed for each statement execute function note_booked();
    create trigger bookings_are after update on bookings referencing new table as changed for each statement execute function note_booked();
    create trigger bookings_gone after truncate on bookings for each statement execute function forget_sums();
    create trigger credits_added after insert on credits referencing new table as changed for each statement execute function note_credited();
    create trigger credits_taken after delete on credits referencing old table as changed for each statement execute function note_credited();
    create trigger credits_were after update on credits referencing old table as changed for each statement execute function note_credited();
    create trigger credits_are after update on credits referencing new table as changed for each statement execute function note_credited();
    create trigger credits_gone after truncate on credits for each statement execute function forget_sums();
    create trigger store_elsewhere after update of zone on store for each statement execute function forget_sums();
  `);
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

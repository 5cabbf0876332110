import type { Knex } from 'knex';

/** What a consent rests on is a fact like others: how, where and when it was said stand in its history. */
export async function up(knex: Knex): Promise<void> {
  await knex.raw(`
    -- a consent as its history has it; the same as consentOf in core/rules/changes.ts reads
    create function consent_fact(state text, at timestamptz, how text, place text) returns jsonb language sql immutable as $$
      select jsonb_build_object('state', state, 'at', (extract(epoch from at) * 1000)::bigint, 'how', nullif(how, ''), 'place', nullif(place, ''))
    $$;
  `);
  for (const [act, ...changes] of [
    ['insert', ['to_jsonb(n.state)', 'consent_fact(n.state, n.at, n.how, n.place)']],
    [
      'update',
      ['to_jsonb(o.state)', 'consent_fact(o.state, o.at, o.how, o.place)'],
      ['to_jsonb(n.state)', 'consent_fact(n.state, n.at, n.how, n.place)'],
      ['n.state <> o.state', 'consent_fact(n.state, n.at, n.how, n.place) <> consent_fact(o.state, o.at, o.how, o.place)'],
    ],
    ['delete', ['to_jsonb(o.state)', 'consent_fact(o.state, o.at, o.how, o.place)']],
  ] as const) {
    const name = `note_consents_${act}`;
    const { rows } = await knex.raw<{ rows: { text: string }[] }>(`select pg_get_functiondef('${name}'::regproc) as text`);
    let text = rows[0]!.text;
    for (const [was, is] of changes as readonly (readonly [string, string])[]) {
      if (!text.includes(was)) throw new Error(`${name} is not what it was`);
      text = text.replaceAll(was, is);
    }
    await knex.raw(text.replaceAll('?', '\\?'));
  }
}

export async function down(): Promise<void> {
  throw new Error('Migrations only go forward');
}

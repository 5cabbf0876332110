import { gzipSync } from 'node:zlib';
import { Readable } from 'node:stream';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import type { UploadView, WorkView } from '@/core/api';
import { guessColumns, type ImportPlan } from '@/core/imports';
import { connect, query } from '@/data/db';
import { createList } from '@/data/people';
import { drain } from '../flows';
import { putSegment } from '../people';
import { exportFile } from './exports';
import { happening, openLab, type Lab } from '../testing/lab';
import { startBulk } from './acts';
import { badRowsFile, startImport } from './imports';
import { takeUpload } from './uploads';
import { doWork, stopWork, undoWork, work, workView } from './work';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab();
  await createList(lab.db, { key: 'keepers', name: 'Keepers', about: '', doubleOptIn: false, by: 'test' }, Date.now());
});
afterAll(() => lab.close());
beforeEach(() => lab.empty('erased_addresses', 'works', 'work_changes', 'bad_rows', 'uploads', 'upload_parts'));

const bodyOf = (bytes: Buffer | string) =>
  Readable.toWeb(Readable.from([Buffer.from(bytes as string)])) as unknown as ReadableStream<Uint8Array>;
const send = (bytes: Buffer | string, name = 'people.csv') => takeUpload(lab.db, name, bodyOf(bytes), 'test');
const planOf = (file: UploadView, more: Partial<ImportPlan> = {}): ImportPlan => {
  const kind = more.kind ?? 'people';
  return {
    schema: 'viatic.import/1',
    kind,
    upload: file.key,
    name: file.name,
    format: { kind: file.format, encoding: file.encoding, delimiter: file.delimiter, hasHeader: file.hasHeader },
    dayFirst: true,
    existing: 'replace',
    columns:
      file.format === 'ndjson' ? [] : guessColumns(kind, file.columns, file.rows).flatMap((to, index) => (to ? [{ index, to }] : [])),
    ...more,
  };
};
const context = () => ({
  db: lab.db,
  url: 'http://localhost',
  secret: 'x'.repeat(32),
  mailer: { send: async () => ({ taken: true as const }), close: () => {} },
});
const run = async (plan: ImportPlan, isDry = false): Promise<WorkView> => {
  const id = await startImport(lab.db, plan, isDry, 'Marla');
  await doWork(context(), id);
  return workView(await work(lab.db, id));
};
const people = () =>
  query<{ external_id: string | null; email: string | null; attributes: Record<string, unknown> }>(
    lab.db,
    'select external_id, email, attributes from people order by email, external_id',
  );
const count = async (table: string) => (await query<{ n: number }>(lab.db, `select count(*)::int as n from ${table}`))[0]!.n;
const badRows = async (id: string) => {
  let text = '';
  for await (const part of badRowsFile(lab.db, await work(lab.db, id))) text += part;
  return text;
};

describe('looking at a file', () => {
  it.each([
    [
      'semicolons, with a mark at the beginning',
      '\ufeffEmail;First name;Country\r\na@example.com;Ada;NL\r\n',
      'utf-8',
      ';',
      ['Email', 'First name', 'Country'],
    ],
    ['tabs', 'email\tname\na@example.com\tAda\n', 'utf-8', '\t', ['email', 'name']],
    ['no header', 'a@example.com,Ada,12\nb@example.com,Ben,7\n', 'utf-8', ',', ['Column 1', 'Column 2', 'Column 3']],
    [
      'commas and quotes within quotes (RFC 4180 §2.6 and 2.7)',
      'email,note\na@example.com,"said ""yes"", then\nleft"\n',
      'utf-8',
      ',',
      ['email', 'note'],
    ],
  ])('%s', async (_what, text, encoding, delimiter, columns) => {
    expect(await send(text)).toMatchObject({ encoding, delimiter, columns, format: 'csv' });
  });

  it('an old export in windows-1252 is told from UTF-8, and read as what it is', async () => {
    const file = await send(Buffer.from('email,firstName\nz@example.com,Zo\u00eb\n', 'latin1'));
    expect(file).toMatchObject({ encoding: 'windows-1252', rows: [['z@example.com', 'Zoë']] });
    expect((await run(planOf(file))).result).toMatchObject({ fresh: 1 });
    expect(await people()).toMatchObject([{ attributes: { firstName: 'Zoë' } }]);
    const wrong = await run({ ...planOf(file), format: { ...planOf(file).format, encoding: 'utf-8' } });
    expect(wrong).toMatchObject({ state: 'failed', says: expect.stringContaining('is not UTF-8') });
  });

  it('gzip is unpacked; what only pretends to be small is not read on; an archive or a spreadsheet is refused', async () => {
    expect(await send(gzipSync('email\na@example.com\n'), 'p.csv.gz')).toMatchObject({ columns: ['email'], rows: [['a@example.com']] });
    const bomb = await send(
      gzipSync(Buffer.concat([Buffer.from('email\n'), Buffer.alloc(60 * 1024 * 1024, `${'x'.repeat(4900)}\n`)]), { level: 9 }),
      'bomb.csv.gz',
    );
    expect(await run(planOf(bomb))).toMatchObject({ state: 'failed', says: expect.stringContaining('unpacks to far more') });
    expect(await count('people')).toBe(0);
    await expect(send(Buffer.from('PK\u0003\u0004rest'), 'p.xlsx')).rejects.toThrow('ZIP archive or a spreadsheet');
    await expect(send('')).rejects.toThrow('empty');
    expect(await count('uploads')).toBe(2);
  });
});

describe('people from a file', () => {
  it('new ones come in, known ones are updated, bad rows are kept with place and mend; consent, list and tag follow', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'ben@example.com', firstName: 'Benjamin' } }));
    const file = await send(
      [
        'Customer ID,Email,First name,Country,Birthday,Accepts newsletter',
        '1,ada@example.com,Ada,Netherlands,3/4/1990,yes',
        '2,BEN@example.com,Ben,NL,,no',
        '3,nonsense,Kim,NL,,yes',
        '4,zoe@example.com,Zoë,NL,31/31/2000,yes',
        '',
      ].join('\n'),
    );
    const plan = planOf(file, { list: 'keepers', tag: 'from the fair' });
    const birthday = plan.columns.find((column) => column.to === 'attribute:birthday')!;
    birthday.type = 'date';
    const done = await run(plan);
    expect(done).toMatchObject({
      state: 'done',
      canUndo: true,
      result: { rows: 4, bad: 2, fresh: 1, known: 1, consents: 2, tagged: 2, listed: 2 },
    });
    expect(await people()).toEqual([
      {
        external_id: '1',
        email: 'ada@example.com',
        attributes: { email: 'ada@example.com', firstName: 'Ada', country: 'Netherlands', birthday: '1990-04-03' },
      },
      { external_id: '2', email: 'ben@example.com', attributes: { email: 'ben@example.com', firstName: 'Ben', country: 'NL' } },
    ]);
    expect(await badRows(done.id)).toContain(
      '3,email,email “nonsense” is not an email address,one address such as robin@example.com,3,nonsense,Kim,NL,,yes',
    );
    expect(await badRows(done.id)).toContain('“31/31/2000” is no date');
    expect(await query(lab.db, 'select state, how, actor from consents order by state')).toEqual([
      { state: 'given', how: 'import of people.csv', actor: 'Marla' },
      { state: 'withdrawn', how: 'import of people.csv', actor: 'Marla' },
    ]);
    expect(done.result.spellings).toMatchObject([
      {
        to: 'country',
        groups: [
          {
            keep: 'NL',
            variants: [
              { value: 'NL', count: 3 },
              { value: 'Netherlands', count: 1 },
            ],
          },
        ],
      },
    ]);
  });

  it('a spelling that was mapped comes in as what it means', async () => {
    const file = await send('email,country\na@example.com,USA\nb@example.com,United States\n');
    const plan = planOf(file);
    plan.columns.find((column) => column.to === 'country')!.respell = { USA: 'US', 'United States': 'US' };
    await run(plan);
    expect((await people()).map((one) => one.attributes.country)).toEqual(['US', 'US']);
  });

  it('line ends that are mixed, as in a file put together from two, hide no row', async () => {
    for (const [text, rows] of [
      ['email,note\r\na@example.com,1\nb@example.com,2\r\nc@example.com,3\n', 3],
      ['email,note\na@example.com,"x\r\ny"\r\nb@example.com,2', 2],
      ['email,note\ra@example.com,1\rb@example.com,2\r', 2],
    ] as const) {
      expect((await run(planOf(await send(text)), true)).result).toMatchObject({ rows, fresh: rows, bad: 0 });
    }
  });

  it('a long cell is cut between two characters, never within one', async () => {
    const done = await run(
      planOf(
        await send(`email,firstName,tags\na@example.com,${'x'.repeat(199)}🐟,${'y'.repeat(59)}🐟\nnonsense ${'z'.repeat(1990)}🐟,Ben,\n`),
      ),
    );
    expect(done).toMatchObject({ state: 'done', result: { fresh: 1, bad: 1 } });
    expect((await people())[0]!.attributes.firstName).toBe('x'.repeat(199));
    expect(await query(lab.db, 'select tag from person_tags')).toEqual([{ tag: 'y'.repeat(59) }]);
  });

  it('a row that goes beyond the last column is a bad row: nothing of it is dropped in silence', async () => {
    const done = await run(planOf(await send('email,note\na@example.com,one, two\nb@example.com,fine,,\n')));
    expect(done.result).toMatchObject({ rows: 2, fresh: 1, bad: 1 });
    expect(await badRows(done.id)).toContain('a@example.com,one, two');
    expect((await people()).map((one) => one.email)).toEqual(['b@example.com']);
  });

  it('a dry run counts the same and keeps nothing', async () => {
    const file = await send('email\na@example.com\nb@example.com\nnonsense\n');
    expect(await run(planOf(file), true)).toMatchObject({
      state: 'done',
      canUndo: false,
      says: 'Checked; nothing was stored.',
      result: { fresh: 2, bad: 1, isDry: true },
    });
    expect([await count('people'), await count('identifiers')]).toEqual([0, 0]);
  });

  it('undone, who came with it is gone, the others have back what they had, and consent stands as before', async () => {
    await lab.tell(
      happening(
        'page.viewed',
        { person: { email: 'ben@example.com', firstName: 'Benjamin', consent: { email: false } } },
        { time: '2026-01-01T10:00:00Z' },
      ),
    );
    const file = await send('email,firstName,accepts newsletter\nada@example.com,Ada,yes\nben@example.com,Ben,yes\n');
    const done = await run(planOf(file, { list: 'keepers', tag: 'fair' }));
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'given' }, { state: 'given' }]);
    expect(await undoWork(context(), done.id, 'Marla')).toMatchObject({ state: 'undone', result: { undone: { removed: 1, restored: 1 } } });
    expect(await people()).toMatchObject([{ email: 'ben@example.com', attributes: { firstName: 'Benjamin' } }]);
    expect(await query(lab.db, 'select state from consents')).toEqual([{ state: 'withdrawn' }]);
    expect([await count('person_tags'), await count('list_members'), await count('identifiers')]).toEqual([0, 0, 1]);
    await expect(undoWork(context(), done.id, 'Marla')).rejects.toThrow('undone already');
  });

  it('undone, rows that went through identity give back what they changed, too', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'a@example.com', firstName: 'Ada', country: 'NL' } }, { subject: 'c1' }));
    const done = await run(planOf(await send('email,firstName,city\na@example.com,Adele,Zuid\na@example.com,Adela,\n')));
    expect(done.result).toMatchObject({ unclear: 2, fresh: 0 });
    expect((await people())[0]!.attributes).toMatchObject({ firstName: expect.stringMatching(/^Adel[ae]$/), city: 'Zuid', country: 'NL' });
    await undoWork(context(), done.id, 'Marla');
    expect(await people()).toMatchObject([{ external_id: 'c1', attributes: { firstName: 'Ada', country: 'NL' } }]);
    expect((await people())[0]!.attributes).not.toHaveProperty('city');
  });

  it('what was said of somebody while the file was being read is newer than the file', async () => {
    await lab.tell(happening('page.viewed', { person: { email: 'a@example.com', firstName: 'Ada', city: 'Noord' } }));
    await query(lab.db, `update people set stamped = stamped || jsonb_build_object('firstName', cast(:later as bigint))`, {
      later: (await lab.now()) + 60_000,
    });
    expect((await run(planOf(await send('email,firstName,city\na@example.com,Adele,Zuid\n')))).result).toMatchObject({
      known: 1,
      changed: 1,
    });
    expect((await people())[0]!.attributes).toMatchObject({ firstName: 'Ada', city: 'Zuid' });
  });

  it('that somebody has come into a segment meanwhile is nothing they have done: undone, they are gone, and out of it', async () => {
    const rule = { test: 'attribute', name: 'email', op: 'known' };
    await putSegment(lab.db, 'has-an-address', { schema: 'viatic.segment/1', name: 'Has an address', rule }, 'Marla');
    await lab.settle();
    const done = await run(planOf(await send('email\nada@example.com\n')));
    await drain(lab.db);
    expect([await count('segment_members'), await count('events')]).toEqual([1, 1]);
    expect(await undoWork(context(), done.id, 'Marla')).toMatchObject({ result: { undone: { removed: 1 } } });
    expect([await count('people'), await count('events'), await count('segment_members'), await count('segment_looks')]).toEqual([
      0, 0, 0, 0,
    ]);
    await query(lab.db, 'truncate segments, segment_signals');
  });

  it('somebody who has done something since stays when the import is undone', async () => {
    const done = await run(planOf(await send('email\nada@example.com\n')));
    await lab.tell(happening('page.viewed', { person: { email: 'ada@example.com' } }));
    expect(await undoWork(context(), done.id, 'Marla')).toMatchObject({ result: { undone: { removed: 0 } } });
    expect(await count('people')).toBe(1);
  });

  it('rows that are one person by what they share become one, as events would; an erased address does not come back', async () => {
    await lab.tell([
      happening('page.viewed', { person: { email: 'a@example.com' } }),
      happening('page.viewed', { person: {} }, { subject: 'c1' }),
    ]);
    await query(lab.db, `insert into erased_addresses values (encode(sha256('gone@example.com'), 'hex'), now())`);
    const done = await run(
      planOf(await send('id,email,firstName\nc1,a@example.com,Ada\nc9,b@example.com,Ben\nc9,b2@example.com,Ben\nc7,gone@example.com,X\n')),
    );
    expect(done.result).toMatchObject({ unclear: 3, erased: 1, bad: 1 });
    expect(await people()).toMatchObject([
      { external_id: 'c1', email: 'a@example.com' },
      { external_id: 'c9', attributes: { firstName: 'Ben' } },
    ]);
    expect(await badRows(done.id)).toContain('was erased at the person’s request');
  });

  it('cancelled before it counts, nothing of it is there', async () => {
    const id = await startImport(lab.db, planOf(await send('email\na@example.com\n')), false, 'Marla');
    await stopWork(lab.db, id);
    await doWork(context(), id);
    expect(workView(await work(lab.db, id))).toMatchObject({ state: 'cancelled' });
    expect(await count('people')).toBe(0);
    await expect(stopWork(lab.db, id)).rejects.toThrow('ended already');
  });

  it.each([
    ['a line of many megabytes', `x,"${'y'.repeat(6 * 1024 * 1024)}`, 'one of more than 5 MB'],
    ['a quotation mark that never closes', 'x,"open\n', 'never closed'],
  ])('%s fails in words, and nothing half-imported stays', async (_what, end, says) => {
    const good = Array.from({ length: 12_000 }, (_, n) => `p${n}@example.com,a note that is long enough to fill the sample\n`).join('');
    const done = await run(planOf(await send(`email,note\n${good}${end}`)));
    expect(done).toMatchObject({ state: 'failed', says: expect.stringContaining(says) });
    expect(await count('people')).toBe(0);
  });

  it('hostile cells are refused or are just text: a phone of 400 digits, U+0000, HTML', async () => {
    const done = await run(
      planOf(
        await send(
          `email,phone,firstName\na@example.com,${'1'.repeat(400)},Ada\nb@example.com,,B\u0000b\nc@example.com,,<script>alert(1)</script>\n`,
        ),
      ),
    );
    expect(done.result).toMatchObject({ rows: 3, bad: 2, fresh: 1 });
    expect(await people()).toMatchObject([{ attributes: { firstName: '<script>alert(1)</script>' } }]);
  });

  it('a plan that cannot work is refused with the place', async () => {
    const file = await send('firstName\nAda\n');
    await expect(startImport(lab.db, planOf(file), false, 'Marla')).rejects.toMatchObject({
      errors: [{ field: 'columns', wrong: expect.stringContaining('lack what tells people apart') }],
    });
    await expect(startImport(lab.db, { ...planOf(file), upload: 'none' }, false, 'Marla')).rejects.toThrow();
  });
});

describe('orders and events from a file', () => {
  const orders = [
    'order id,email,date,total,currency,status,refunded',
    '1001,a@example.com,2026-03-01 10:00,"1.249,50",EUR,paid,',
    '1002,a@example.com,2026-04-01,20,EUR,cancelled,',
    '1003,b@example.com,2026-05-01,30.00,EUR,paid,10',
    '1004,b@example.com,soon,30.00,EUR,paid,',
    '',
  ].join('\n');

  it('orders count in people’s totals and start no flow; the same file again adds nothing; undone they are gone', async () => {
    const done = await run(planOf(await send(orders, 'orders.csv'), { kind: 'orders' }));
    expect(done).toMatchObject({ state: 'done', result: { rows: 4, bad: 1, accepted: 5, duplicates: 0 } });
    expect(
      await query(lab.db, `select p.email, s.orders, s.net_minor from standing s join people p on p.id = s.person_id order by 1`),
    ).toEqual([
      { email: 'a@example.com', orders: 2, net_minor: '124950' },
      { email: 'b@example.com', orders: 1, net_minor: '2000' },
    ]);
    expect(await count('runs')).toBe(0);
    const again = await run(planOf(await send(orders, 'orders.csv'), { kind: 'orders' }));
    expect(again.result).toMatchObject({ accepted: 0, duplicates: 5 });
    await undoWork(context(), done.id, 'Marla');
    expect([await count('orders'), await count('standing'), await count('people'), await count('event_keys')]).toEqual([0, 0, 0, 0]);
  });

  it('CloudEvents as NDJSON: a broken line and a wrong event are kept as bad rows', async () => {
    const line = (id: string, more: object = {}) =>
      JSON.stringify({
        specversion: '1.0',
        id,
        source: 'old',
        type: 'app.opened',
        time: '2026-02-01T10:00:00Z',
        data: { person: { email: 'a@example.com' } },
        ...more,
      });
    const file = await send(`${line('1')}\n{"half\n${line('2', { type: 'Wrong' })}\n${line('3')}\n`, 'events.ndjson');
    expect(file).toMatchObject({ format: 'ndjson' });
    const done = await run(planOf(file, { kind: 'events' }));
    expect(done.result).toMatchObject({ rows: 4, bad: 2, accepted: 2 });
    expect(await badRows(done.id)).toContain('is not JSON');
  });
});

describe('out again', () => {
  const text = async (address: string) => {
    const { body } = await exportFile(lab.db, new URL(`http://x/?${address}`));
    let all = '';
    for await (const part of body) all += String(part);
    return all;
  };

  it('formulas are defused in every CSV, numbers and phones are not touched (OWASP, CSV injection)', async () => {
    await lab.tell([
      happening('page.viewed', {
        person: {
          email: 'a@example.com',
          firstName: '=cmd|calc',
          lastName: '@SUM(1)',
          phone: '+31612345678',
          points: -5,
          note: 'a "quoted", line',
        },
      }),
      happening('page.viewed', { person: { email: 'b@example.com' } }),
    ]);
    const csv = await text('what=people&q=a@example.com');
    expect(csv.split('\n')[0]).toMatch(/^externalId,email,.*[^\r]$/);
    expect(csv).toContain("'=cmd|calc");
    expect(csv).toContain("'@SUM(1)");
    expect(csv).toContain('+31612345678');
    expect(csv).not.toContain("'+31");
    expect(csv).toContain('-5');
    expect(csv).toContain('"a ""quoted"", line"');
    expect(csv).not.toContain('b@example.com');
  });

  it('one that is broken off gives its connection back: the next question is answered', async () => {
    const narrow = connect(lab.url, 1);
    try {
      await lab.tell(Array.from({ length: 600 }, (_, n) => happening('app.noted', { text: 'x'.repeat(3000), n }, { subject: 'c1' })));
      for (let i = 0; i < 3; i++) {
        const { body } = await exportFile(narrow, new URL('http://x/?what=events&format=ndjson'));
        await new Promise((resolve) => body.once('data', resolve));
        body.destroy();
        expect(await query(narrow, 'select 1 as one')).toEqual([{ one: 1 }]);
      }
    } finally {
      await narrow.destroy();
    }
  });

  it('NDJSON is JSON line by line, whatever is in it', async () => {
    await lab.tell(happening('app.noted', { text: 'back\\slash "quote"\nnewline\ttab', person: { email: 'a@example.com' } }));
    const lines = (await text('what=events&format=ndjson'))
      .trim()
      .split('\n')
      .map((line) => JSON.parse(line) as { properties: { text: string } });
    expect(lines).toHaveLength(1);
    expect(lines[0]!.properties.text).toBe('back\\slash "quote"\nnewline\ttab');
    await expect(text('what=secrets')).rejects.toThrow('no such export');
  });

  it('what went out as CSV comes in again as the same people, into a shop that knows none of them', async () => {
    await lab.tell([
      happening(
        'page.viewed',
        {
          person: {
            email: 'ada@example.com',
            firstName: 'Zoë "Z", the 2nd',
            lastName: "O'Neill",
            phone: '+31612345678',
            country: 'NL',
            zone: 'Europe/Amsterdam',
            note: 'two\nlines; and, commas',
            consent: { email: true, sms: false },
          },
        },
        { subject: 'c1' },
      ),
      happening('page.viewed', { person: { email: 'ben@example.com', firstName: '  魚  ', consent: { email: false } } }, { subject: 'c2' }),
      happening('page.viewed', { person: { email: 'cleo@example.com', firstName: '<b>Cleo</b>' } }),
    ]);
    const ada = (await query<{ id: string }>(lab.db, `select id from people where external_id = 'c1'`))[0]!.id;
    await query(lab.db, `insert into person_tags (person_id, tag, at, by) values (:ada, 'Breeder', now(), 'test')`, { ada });
    const state = () =>
      query(
        lab.db,
        `select p.external_id, p.email, (select jsonb_object_agg(key, trim(value #>> '{}'))
          from jsonb_each(p.attributes)) as attributes, array(select channel || ' ' || state from consents c where c.person_id = p.id order by 1) as consents,
      array(select tag from person_tags t where t.person_id = p.id) as tags, array(select kind || value from identifiers i where i.person_id = p.id
        order by 1) as known_by from people p order by email`,
      );
    const before = await state();
    const csv = await text('what=people&format=csv');
    await query(lab.db, 'truncate people, identifiers, weak_claims, consents, events, event_keys, person_tags cascade');
    const file = await send(csv);
    const plan = planOf(file);
    const wanted = new Set([
      'externalId',
      'email',
      'phone',
      'firstName',
      'lastName',
      'country',
      'zone',
      'tags',
      'consent.email',
      'consent.sms',
      'attribute:note',
    ]);
    const columns = plan.columns
      .map((column) => (file.columns[column.index] === 'consentSms' ? { ...column, to: 'consent.sms', type: undefined } : column))
      .filter((column) => wanted.has(column.to));
    expect(new Set(columns.map((column) => column.to))).toEqual(wanted);
    const done = await run({ ...plan, columns });
    expect(done).toMatchObject({ state: 'done', result: { fresh: 3 } });
    expect(await state()).toEqual(before);
  });
});

describe('bulk acts', () => {
  const bulk = async (act: object, who: string, n: number) => {
    const id = await startBulk(lab.db, { do: act, who, count: n }, 'Marla');
    await doWork(context(), id);
    return workView(await work(lab.db, id));
  };
  const tell = () =>
    lab.tell(
      ['a', 'b', 'c'].map((name, i) =>
        happening('page.viewed', {
          person: { email: `${name}@example.com`, country: i ? 'NL' : 'DE', ...(name === 'a' && { consent: { email: true } }) },
        }),
      ),
    );

  it('touch those who match, as many as were seen; undone, just those who were changed are changed back', async () => {
    await tell();
    const dutch = `rule=${encodeURIComponent(JSON.stringify({ test: 'attribute', name: 'country', op: 'is', value: 'NL' }))}`;
    await expect(bulk({ act: 'tag', tag: 'dutch' }, dutch, 3)).rejects.toThrow('now touch 2 people and not 3');
    const done = await bulk({ act: 'tag', tag: 'dutch' }, dutch, 2);
    expect(done).toMatchObject({ state: 'done', done: 2, canUndo: true, result: { people: 2, changed: 2 } });
    const set = await bulk({ act: 'set', name: 'country', value: 'BE' }, '', 3);
    expect((await people()).map((one) => one.attributes.country)).toEqual(['BE', 'BE', 'BE']);
    await undoWork(context(), set.id, 'Marla');
    expect((await people()).map((one) => one.attributes.country)).toEqual(['DE', 'NL', 'NL']);
    await undoWork(context(), done.id, 'Marla');
    expect(await count('person_tags')).toBe(0);
  });

  it('asked for twice at once, an undo is done once', async () => {
    await tell();
    const done = await bulk({ act: 'tag', tag: 'all' }, '', 3);
    const answers = await Promise.allSettled([1, 2, 3].map(() => undoWork(context(), done.id, 'Marla')));
    expect(answers.filter((one) => one.status === 'fulfilled')).toHaveLength(1);
    for (const one of answers) if (one.status === 'rejected') expect(one.reason).toMatchObject({ status: 409 });
    expect(await count('person_tags')).toBe(0);
  });

  it('consent is given back as it was; erasing has no way back', async () => {
    await tell();
    const done = await bulk({ act: 'consent', channel: 'email', state: 'withdrawn', how: 'they asked at the fair' }, '', 3);
    expect(done.result).toMatchObject({ changed: 3 });
    await undoWork(context(), done.id, 'Marla');
    expect(await query(lab.db, `select p.email, c.state from consents c join people p on p.id = c.person_id order by 1`)).toEqual([
      { email: 'a@example.com', state: 'given' },
      { email: 'b@example.com', state: 'withdrawn' },
      { email: 'c@example.com', state: 'withdrawn' },
    ]);
    const gone = await bulk({ act: 'erase' }, 'q=a@example.com', 1);
    expect(gone).toMatchObject({ state: 'done', canUndo: false });
    await expect(undoWork(context(), gone.id, 'Marla')).rejects.toThrow('cannot be undone');
    expect((await people()).map((one) => one.email)).toEqual(['b@example.com', 'c@example.com', null]);
  });

  it.each([[{ act: 'list', list: 'none' }], [{ act: 'fly' }], [{ act: 'set', name: 'email', value: 'x' }], [{ act: 'tag', tag: '  ' }]])(
    '%j is refused',
    async (act) => {
      await tell();
      await expect(bulk(act, '', 3)).rejects.toThrow();
      expect(await count('works')).toBe(0);
    },
  );
});

import { randomBytes } from 'node:crypto';
import { createReadStream, createWriteStream, statSync, rmSync } from 'node:fs';
import { pipeline } from 'node:stream/promises';
import { Readable } from 'node:stream';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Client } from 'pg';
import { from as copyFrom } from 'pg-copy-streams';
import type { ImportPlan } from '../src/core/imports';
import { connect, query, type Db } from '../src/data/db';
import { countPeople, listPeople } from '../src/data/people';
import { doWork, startImport, takeUpload, work } from '../src/server/work';

/** A million people from a file against COPY of the same file into the same table; then searching them, from 10,000 to a million. */
const ROWS = Number(process.env.BENCH_ROWS ?? 1_000_000);
const FIRST =
  'Ada Ben Carla Dirk Elin Femke Goran Hanna Ivo Jana Kees Lotte Milan Nora Olaf Petra Rosa Sven Tilda Udo Vera Wim Yara Zeno'.split(' ');
const LAST = (
  'Aalders Brinkmann Castel Dorn Ekholm Faber Geerts Hollander Ilves Jansma Kessel Lindqvist Moreau Noordhof Okkerse Peeters Quist ' +
  'Reinders Sterk Talsma Uhlig Verbeek Wester'
).split(' ');
const db = connect(process.env.VIATIC_DATABASE_URL!, 6);
const say = (n: number) => Math.round(n).toLocaleString('en');
const row = (n: number, tag: string) => [
  `${tag}${n}`,
  `${FIRST[n % FIRST.length]!.toLowerCase()}.${LAST[(n * 7) % LAST.length]!.toLowerCase()}.${tag}${n}@example.com`,
  FIRST[n % FIRST.length]!,
  LAST[(n * 7) % LAST.length]!,
  n % 3 ? 'NL' : 'DE',
];

async function writeFile(path: string, lines: (n: number) => string, head: string): Promise<void> {
  const sink = createWriteStream(path);
  await pipeline(
    Readable.from(
      (function* () {
        yield head;
        for (let n = 0; n < ROWS; n += 1000) yield Array.from({ length: Math.min(1000, ROWS - n) }, (_, i) => lines(n + i)).join('');
      })(),
    ),
    sink,
  );
}

/** The floor: the same people as they stand in the table, by COPY, with all its indexes. */
async function copyFloor(folder: string): Promise<number> {
  const file = join(folder, 'floor.csv');
  await writeFile(
    file,
    (n) => {
      const [id, email, first, last, country] = row(n, 'f');
      const attributes = JSON.stringify({ email, firstName: first, lastName: last, country }).replaceAll('"', '""');
      const stamp = 1_795_000_000_000;
      return `${100_000_000 + n},${id},"${attributes}","${`{"email":${stamp},"firstName":${stamp},"lastName":${stamp},"country":${stamp}}`.replaceAll('"', '""')}",2026-11-24T10:00:00Z,2026-11-24T10:00:00Z\n`;
    },
    '',
  );
  const pool = db.client as unknown as { acquireConnection(): Promise<Client>; releaseConnection(client: Client): Promise<void> };
  const client = await pool.acquireConnection();
  const began = performance.now();
  await pipeline(
    createReadStream(file),
    client.query(copyFrom('copy people (id, external_id, attributes, stamped, created_at, seen_at) from stdin with (format csv)')),
  );
  const seconds = (performance.now() - began) / 1000;
  await pool.releaseConnection(client);
  rmSync(file);
  return ROWS / seconds;
}

const none = { words: null, rule: null, insideFlow: null };
async function searching(on: Db): Promise<string> {
  const people = await countPeople(on, none);
  const searches = ['lotte', 'dorn', 'lotte dorn', 'm123', 'm99999', 'example.com', 'kees.faber', 'nobody-here', 'va'];
  const times: number[] = [];
  let slowest = { words: '', ms: 0 };
  for (let round = 0; round < 3; round++) {
    for (const words of searches) {
      const began = performance.now();
      await listPeople(on, { ...none, words }, 'seen', true, 8, 0);
      // the first round warms
      const ms = performance.now() - began;
      if (round) times.push(ms);
      if (round && ms > slowest.ms) slowest = { words, ms };
    }
  }
  times.sort((a, b) => a - b);
  return `search over ${say(people)} people: half answer within ${times[times.length >> 1]!.toFixed(1)} ms, the slowest of ${searches.length} searches, “${slowest.words}”, ${slowest.ms.toFixed(1)} ms`;
}

async function main(): Promise<void> {
  const folder = tmpdir();
  // sizes on the way: 10,000, 100,000, a million
  const context = {
    db,
    url: 'http://localhost',
    secret: randomBytes(16).toString('hex'),
    mailer: { send: async () => ({ taken: true as const }), close: () => {} },
  };
  await query(db, "delete from people where external_id like 'f%'");
  const floor = await copyFloor(folder);
  await query(db, `delete from people where id >= 100000000`);
  await query(db, 'vacuum people');

  const file = join(folder, `people-${process.pid}.csv`);
  await writeFile(file, (n) => `${row(n, 'm').join(',')}\n`, 'id,email,first name,last name,country\n');
  const upload = await takeUpload(
    db,
    'people.csv',
    Readable.toWeb(createReadStream(file)) as unknown as ReadableStream<Uint8Array>,
    'bench',
  );
  const plan: ImportPlan = {
    schema: 'viatic.import/1',
    kind: 'people',
    upload: upload.key,
    name: 'people.csv',
    format: { kind: 'csv', encoding: 'utf-8', delimiter: ',', hasHeader: true },
    dayFirst: true,
    existing: 'replace',
    columns: ['externalId', 'email', 'firstName', 'lastName', 'country'].map((to, index) => ({ index, to })),
  };
  let peak = 0;
  const watch = setInterval(() => (peak = Math.max(peak, process.memoryUsage().rss)), 100);
  const before = process.memoryUsage().rss;
  const began = performance.now();
  const id = await startImport(db, plan, false, 'bench');
  await doWork(context, id);
  const seconds = (performance.now() - began) / 1000;
  clearInterval(watch);
  const done = await work(db, id);
  if (done.state !== 'done') throw new Error(`import: ${done.says}`);
  console.log(
    `import: ${say(ROWS)} rows (${(statSync(file).size / 1e6).toFixed(0)} MB) in ${seconds.toFixed(1)} s, ${say(ROWS / seconds)} rows/s; COPY of the same people into the same table ${say(floor)} rows/s; ratio ${(ROWS / seconds / floor).toFixed(2)}; memory ${(before / 1e6).toFixed(0)} MB before, ${(peak / 1e6).toFixed(0)} MB at most`,
  );
  rmSync(file);

  await query(db, 'analyze people');
  const lines = [await searching(db)];
  for (const keep of [100_000, 10_000].filter((one) => one < ROWS)) {
    await query(db, `delete from identifiers where person_id in (select id from people order by id desc offset ${keep})`);
    await query(
      db,
      `delete from people where id in (select id from people order by id desc offset ${keep}) and not exists (select 1 from identifiers i
        where i.person_id = people.id) and not exists (select 1 from consents c where c.person_id = people.id)`,
    );
    await query(db, 'vacuum analyze people');
    lines.push(await searching(db));
  }
  console.log(lines.reverse().join('\n'));
  await db.destroy();
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});

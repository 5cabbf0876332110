import { randomInt } from 'node:crypto';
import { codeOf, offerSchema } from '../src/core/offers';
import { connect, query } from '../src/data/db';
import { issueCodes, saveOffer } from '../src/data/offers';

/** How long a code takes to be issued, of a million of one offer; floor: letters drawn beforehand, put into the same table by plain inserts. */
const CODES = Number(process.env.BENCH_CODES ?? 1_000_000);
const BATCH = 5_000;
const db = connect(process.env.VIATIC_DATABASE_URL!, 2);
const document = offerSchema.parse({
  schema: 'viatic.offer/1',
  name: 'Many',
  gives: { kind: 'percent', percent: 10 },
  currency: 'EUR',
  combines: false,
  expires: { after: 'P3D' },
  comesBack: true,
  who: null,
  guard: {},
  code: { prefix: 'FIN', letters: 8 },
});
await saveOffer(db, 'many', document, 'bench', Date.now());
const issue = async (from: number): Promise<void> => {
  const at = Date.now();
  await issueCodes(
    db,
    Array.from({ length: BATCH }, (_, n) => ({
      personId: String(from + n + 1),
      offer: 'many',
      document,
      prefix: 'FIN',
      at,
      expiresAt: at + 259_200_000,
      how: 'bench',
      of: null,
    })),
  );
};
let began = performance.now();
for (let from = 0; from < CODES; from += BATCH) await issue(from);
const ours = (performance.now() - began) / CODES;
const [row] = await query<{ all: string; different: string }>(
  db,
  `select count(*) as all, count(distinct spelling) as different from codes where offer = 'many'`,
);

await query(db, 'create table plain_codes (like codes including all)');
const drawn = Array.from({ length: CODES }, () => codeOf('FIN', 8, randomInt));
began = performance.now();
for (let from = 0; from < CODES; from += BATCH) {
  const part = drawn.slice(from, from + BATCH);
  await query(
    db,
    `insert into plain_codes (spelling, code, offer, person_id, how, issued_at) select replace(c, '-', ''), c, 'many', :from + n, 'bench', now()
     from unnest(cast(:part as text[])) with ordinality as u(c, n) on conflict do nothing`,
    { part, from },
  );
}
const floor = (performance.now() - began) / CODES;
console.log(`codes: ${row!.all} of one offer, ${row!.different} different`);
console.log(`  ours       ${ours.toFixed(4)} ms each, in batches of ${BATCH}`);
console.log(`  floor      ${floor.toFixed(4)} ms each: plain inserts of letters drawn before`);
console.log(`  ratio      ${(ours / floor).toFixed(2)} (must be under 1 ms each)`);
await db.destroy();

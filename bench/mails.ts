import { Pool } from 'pg';
import { connect, query } from '../src/data/db';
import { tick } from '../src/server/flows';
import { openMailer, type Mailer } from '../src/server/messages';
import { startJobs } from '../src/server/program';
import { fill } from './due';

/** Mails that flows have decided on, handed over to a sink; floor: the SMTP library alone, giving the same mails to the same sink. */
const MAILS = 4_000;
const AT_ONCE = 12;
const db = connect(process.env.VIATIC_DATABASE_URL!, 16);
const smtp = `smtp://127.0.0.1:${process.env.BENCH_SINK_PORT}`;

/** Queues the mails and has them carried out by the jobs of a worker; answers how many a second. */
async function byJobs(mailer: Mailer): Promise<number> {
  await fill(db, MAILS);
  while (await tick(db));
  const pool = new Pool({ connectionString: process.env.VIATIC_DATABASE_URL!, max: 12 });
  const open = async () => (await query<{ n: number }>(db, `select count(*)::int as n from sends where state = 'queued'`))[0]!.n;
  const queued = await open();
  if (queued !== MAILS) throw new Error(`${queued} mails are queued`);
  const began = performance.now();
  const jobs = await startJobs({ db, mailer, url: 'http://127.0.0.1', secret: 'x'.repeat(48) }, pool, () => undefined);
  while (await open()) await new Promise((resolve) => setTimeout(resolve, 50));
  const rate = MAILS / ((performance.now() - began) / 1000);
  await jobs.stop();
  await pool.end();
  return rate;
}

async function main(): Promise<void> {
  const mails: Parameters<Mailer['send']>[0][] = [];
  // what is to be handed over, kept; and how fast it would go with a mail server that takes no time
  const noServer = await byJobs({ send: async (mail) => (mails.push(mail), { taken: true }), close: () => undefined });
  const alone = openMailer(smtp);
  const began = performance.now();
  let at = 0;
  await Promise.all(
    Array.from({ length: AT_ONCE }, async () => {
      while (at < mails.length) await alone.send(mails[at++]!);
    }),
  );
  const floor = mails.length / ((performance.now() - began) / 1000);
  alone.close();
  const mailer = openMailer(smtp);
  const ours = await byJobs(mailer);
  mailer.close();
  const say = (n: number) => Math.round(n).toLocaleString('en');
  console.log(
    `mails: ${say(ours)} a second handed over of ${say(MAILS)}; the SMTP library alone, ${AT_ONCE} at once, ${say(floor)}, ratio ${(ours / floor).toFixed(2)}; with a server that takes no time ${say(noServer)}`,
  );
  await db.destroy();
  process.exit(0);
}
main().catch((error: Error) => {
  console.error(error);
  process.exit(1);
});

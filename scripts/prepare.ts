// What a fresh store needs before it is started: its tables, its name, and somebody who may sign in.
import { isCurrency } from '../src/core/money';
import { isZone } from '../src/core/time';
import { connect, migrate, queryOne } from '../src/data/db';
import { createStore } from '../src/data/store';
import { firstOwner } from '../src/server/access';

const WANTED = {
  VIATIC_STORE_NAME: 'its name, as it stands in mails',
  VIATIC_STORE_ADDRESS: 'its postal address, which stands below every mail',
  VIATIC_STORE_EMAIL: 'the address from which it writes',
  VIATIC_STORE_CURRENCY: 'its currency, three letters (ISO 4217)',
  VIATIC_STORE_ZONE: 'its time zone, such as Europe/Amsterdam',
} as const;
const said = (name: keyof typeof WANTED | 'VIATIC_OWNER_EMAIL' | 'VIATIC_OWNER_NAME'): string => process.env[name]?.trim() ?? '';

/** What is not said of the store, or is not what it should be. */
function wrongOf(): string[] {
  const missing = Object.entries(WANTED).flatMap(([name, about]) => (said(name as keyof typeof WANTED) ? [] : [`  ${name}  ${about}`]));
  if (missing.length) return ['This database has no store yet. Say what it is, in the environment:', ...missing];
  if (!isCurrency(said('VIATIC_STORE_CURRENCY'))) return ['VIATIC_STORE_CURRENCY is no currency: three letters such as EUR.'];
  if (!isZone(said('VIATIC_STORE_ZONE'))) return ['VIATIC_STORE_ZONE is no time zone: a name such as Europe/Amsterdam.'];
  if (!/^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(said('VIATIC_STORE_EMAIL'))) return ['VIATIC_STORE_EMAIL is no address.'];
  return [];
}

async function main(): Promise<void> {
  // migrations hold a connection and locks of it: a pooler in between would not keep them
  const databaseUrl = process.env.VIATIC_SESSION_DATABASE_URL || process.env.VIATIC_DATABASE_URL!;
  const db = connect(databaseUrl, 4);
  try {
    await migrate(db, databaseUrl);
    if (!(await queryOne(db, 'select 1 as there from store'))) {
      const wrong = wrongOf();
      if (wrong.length) throw new Error(wrong.join('\n'));
      await createStore(db, {
        name: said('VIATIC_STORE_NAME'),
        address: said('VIATIC_STORE_ADDRESS'),
        fromEmail: said('VIATIC_STORE_EMAIL'),
        currency: said('VIATIC_STORE_CURRENCY'),
        zone: said('VIATIC_STORE_ZONE'),
      });
      console.log(`The store “${said('VIATIC_STORE_NAME')}” is set up.`);
    }
    const owner = await firstOwner(
      db,
      { email: said('VIATIC_OWNER_EMAIL'), name: said('VIATIC_OWNER_NAME') },
      process.env.VIATIC_URL!.replace(/\/$/, ''),
    );
    if (owner.needs) throw new Error('Nobody can sign in yet. Say who owns the store: VIATIC_OWNER_EMAIL and VIATIC_OWNER_NAME.');
    if (owner.url) console.log(`\n  ${owner.email} chooses a password here, once, within seven days:\n  ${owner.url}\n`);
  } finally {
    await db.destroy();
  }
}
main().catch((error: Error) => {
  console.error(error.message);
  process.exit(1);
});

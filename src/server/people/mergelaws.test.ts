import fc from 'fast-check';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { findPerson } from '@/data/people';
import { ownerOfSend } from '@/data/messages';
import { noteTouch } from '../messages';
import { happening, openLab, type Lab } from '../testing/lab';
import { eraseById, allMerges, mergePeople, undoMerge } from '.';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());

const NAMES = ['anna', 'bela', 'cleo', 'dora', 'emil'] as const;
const order = (name: string) =>
  happening('order.placed', {
    orderId: `o-${name}`,
    value: 40,
    currency: 'EUR',
    person: { email: `${name}@example.com`, firstName: `Name-${name}`, consent: { email: true } },
  });

/** The tables in which a word is found, wherever it is. */
async function tablesWith(word: string): Promise<string[]> {
  const tables = await query<{ name: string }>(
    lab.db,
    `select quote_ident(c.relname) as name from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where n.nspname = 'public' and c.relkind = 'r' and c.relname not in ('flow_versions', 'flows')`,
  );
  const found: string[] = [];
  for (const { name } of tables) {
    const rows = await query(lab.db, `select 1 from ${name} t where to_jsonb(t)::text ilike :word limit 1`, { word: `%${word}%` });
    if (rows.length) found.push(name);
  }
  return found;
}

interface World {
  /** by name: number of the person at first, and of the email sent to them */
  readonly first: Map<string, { person: string; send: string }>;
  /** by name: the name of the person they have become */
  readonly now: Map<string, string>;
}

async function begin(): Promise<World> {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'erased_addresses', 'person_successors', 'acts');
  await lab.addFlow('thanks', flowWith({ steps: [letter('thanks'), { id: 'w', kind: 'wait', for: 'P9D' }] }));
  await lab.tell(NAMES.map(order));
  await lab.settle();
  const rows = await query<{ name: string; person: string; send: string }>(
    lab.db,
    `select split_part(p.email, '@', 1) as name, p.id as person, s.id as send from people p join sends s on s.person_id = p.id`,
  );
  expect(rows).toHaveLength(NAMES.length);
  return { first: new Map(rows.map(({ name, ...row }) => [name, row])), now: new Map(NAMES.map((name) => [name, name])) };
}

/** Merges the people that two names have become, if they are still two. */
async function merge(world: World, a: string, b: string): Promise<void> {
  const [one, other] = [world.now.get(a)!, world.now.get(b)!];
  if (one === other) return;
  const { id } = await mergePeople(lab.db, `~${world.first.get(one)!.person}`, `~${world.first.get(other)!.person}`, 'Marla');
  const winner = (await findPerson(lab.db, id.startsWith('~') ? { id: id.slice(1) } : { externalId: id }))!.id;
  const winnerName = [...world.first].find(([, { person }]) => person === winner)![0];
  for (const name of NAMES) if ([one, other].includes(world.now.get(name)!)) world.now.set(name, winnerName);
}

describe('law: merges in any number and order', () => {
  const pair = fc.tuple(fc.constantFrom(...NAMES), fc.constantFrom(...NAMES));
  it('leave every link, number, click and run with the person who is there now, and nothing of one who is erased', async () => {
    await fc.assert(
      fc.asyncProperty(fc.array(pair, { minLength: 1, maxLength: 6 }), fc.constantFrom(...NAMES), async (pairs, erased) => {
        const world = await begin();
        for (const [a, b] of pairs) await merge(world, a, b);
        for (const name of NAMES) {
          const { person, send } = world.first.get(name)!;
          const is = world.first.get(world.now.get(name)!)!.person;
          expect((await findPerson(lab.db, { id: person }))?.id).toBe(is);
          expect((await ownerOfSend(lab.db, send))?.person_id).toBe(is);
          await noteTouch(
            lab.db,
            { purpose: 'click', personId: person, sendId: send, url: 'http://shop.example/' },
            'message.clicked',
            null,
          );
          expect(
            await query(lab.db, `select person_id from events where type = 'message.clicked' and properties ->> 'sendId' = :send`, {
              send,
            }),
          ).toEqual([{ person_id: is }]);
        }
        expect(await query(lab.db, `select 1 from runs r where not exists (select 1 from people p where p.id = r.person_id)`)).toEqual([]);
        await eraseById(lab.db, `~${world.first.get(erased)!.person}`, 'Marla');
        for (const name of NAMES) {
          const isGone = world.now.get(name) === world.now.get(erased);
          const [addresses, names] = [await tablesWith(`${name}@`), await tablesWith(`name-${name}`)];
          if (isGone) expect({ name, addresses, names }).toEqual({ name, addresses: [], names: [] });
          else expect(addresses).toContain('identifiers');
          expect((await findPerson(lab.db, { id: world.first.get(name)!.person })) === null).toBe(isGone);
        }
      }),
      { numRuns: Number(process.env.VIATIC_LAW_RUNS ?? 12), seed: 27 },
    );
  });

  it('undone, the loser is found by their own number again, and erased they leave no record in the merge', async () => {
    const world = await begin();
    await merge(world, 'anna', 'bela');
    const { merges } = await allMerges(lab.db, new URL('http://x/'));
    await undoMerge(lab.db, merges[0]!.id, 'Marla');
    for (const name of ['anna', 'bela'])
      expect((await findPerson(lab.db, { id: world.first.get(name)!.person }))?.id).toBe(world.first.get(name)!.person);
    for (const name of ['anna', 'bela']) {
      await eraseById(lab.db, `~${world.first.get(name)!.person}`, 'Marla');
      expect(await tablesWith(`${name}@`)).toEqual([]);
    }
  });
});

describe('a visitor who was known by a phone only', () => {
  it('keeps the clicks of their text messages once they are known', async () => {
    const world = await begin();
    const { person, send } = world.first.get('anna')!;
    // as a merge that is not recorded leaves it: no row of merges, the send moved on
    await query(lab.db, 'update sends set person_id = :to where id = :send', { to: world.first.get('bela')!.person, send });
    await noteTouch(lab.db, { purpose: 'click', personId: person, sendId: send, url: 'http://shop.example/' }, 'message.clicked', null);
    expect(await query(lab.db, `select person_id from events where type = 'message.clicked'`)).toEqual([
      { person_id: world.first.get('bela')!.person },
    ]);
  });
});

describe('two people who are one', () => {
  it.each([
    ['once', 1],
    ['once-per-key', 2],
    ['always', 2],
  ] as const)('in a flow with re-entry "%s" leave %i run in it', async (reentry, runs) => {
    await begin();
    await lab.empty('flows', 'flow_versions');
    await lab.addFlow('thanks', flowWith({ reentry, steps: [{ id: 'w', kind: 'wait', for: 'P9D' }, letter('late')] }));
    await lab.tell([order('anna'), order('bela')]);
    await lab.settle();
    const ids = await query<{ id: string }>(lab.db, 'select id from people order by id');
    await mergePeople(lab.db, `~${ids[0]!.id}`, `~${ids[1]!.id}`, 'Marla');
    expect(await query(lab.db, `select 1 from runs where phase = 'inside'`)).toHaveLength(runs);
  });
});

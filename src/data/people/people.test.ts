import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { PLAIN_DETAIL } from '@/core/people';
import { happening, openLab, type Lab } from '@/server/testing/lab';
import { query } from '../db';
import { eventKey } from '../sources';
import {
  addIdentifiers,
  ageIdentifiers,
  claimAndLook,
  consentLog,
  findByIdentifiers,
  findPerson,
  identifiersOf,
  lockPeople,
  markShared,
  readConsents,
  saveConsents,
  saveWeakClaims,
} from './people';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(() => lab.empty());

const AT = Date.parse('2026-11-02T10:00:00.123Z');
const person = async (externalId: string, more: object = {}) =>
  (
    await query<{ id: string }>(
      lab.db,
      `insert into people (external_id, attributes, stamped, created_at, seen_at) values (:externalId, :attributes, '{}', :at, :at) returning id`,
      { externalId, attributes: JSON.stringify(more), at: new Date(AT) },
    )
  )[0]!.id;
const give = (key: string, personId: string, firstAt = AT) => addIdentifiers(lab.db, [{ key, personId, firstAt }]);
const look = (keys: string[] | null, identifiers: string[], ids: string[] = []) =>
  lab.db.transaction((trx) => claimAndLook(trx, keys, identifiers, ids));

describe('claiming and looking', () => {
  it('says which events are new, whose identifiers these are and since when, with those people’s records', async () => {
    const [ann, ben] = [await person('ann', { country: 'NL', points: 1e21 }), await person('ben')];
    await give('external:ann', ann);
    await give('email:a@example.com', ann, AT + 1);
    await give('external:ben', ben);
    const key = eventKey('shop', '1');
    const standing = await look([key, key], ['external:ann', 'email:a@example.com', 'email:nobody@example.com']);
    expect([...standing.fresh]).toEqual([key]);
    expect([...standing.found]).toEqual([
      ['external:ann', { personId: ann, firstAt: AT }],
      ['email:a@example.com', { personId: ann, firstAt: AT + 1 }],
    ]);
    expect(standing).toMatchObject({
      wanted: 1,
      locked: [
        {
          id: ann,
          externalId: 'ann',
          externalAt: null,
          isKnown: true,
          profile: { attributes: { country: 'NL', points: 1e21 }, stamped: {} },
          createdAt: AT,
          seenAt: AT,
        },
      ],
    });
    // named by number, too, and in the order of numbers
    expect((await look([eventKey('shop', '2')], ['external:ben'], [ann])).locked.map((one) => one.id)).toEqual([ann, ben]);
  });

  it('the same key again is not new, and then nobody is locked; without keys they always are', async () => {
    const ann = await person('ann');
    await give('external:ann', ann);
    const keys = [eventKey('shop', '1')];
    expect((await look(keys, ['external:ann'])).locked).toHaveLength(1);
    expect(await look(keys, ['external:ann'])).toMatchObject({ fresh: new Set(), locked: [], wanted: 1 });
    const [second, third] = [eventKey('shop', '2'), eventKey('shop', '3')];
    const mixed = await look([...keys, second, third], ['external:ann']);
    expect([...mixed.fresh].sort()).toEqual([second, third].sort());
    expect(mixed.locked).toHaveLength(1);
    expect((await look(null, ['external:ann'])).locked).toHaveLength(1);
    expect(await look(null, [])).toMatchObject({ wanted: 0, locked: [], weak: [] });
  });

  it('tells who claims a device, what is shared by decision, and what was always there', async () => {
    const [ann, ben] = [await person('ann'), await person('ben')];
    await saveWeakClaims(lab.db, [
      { identifier: 'device:d1', by: 'external:ann', personId: ann, firstAt: AT },
      { identifier: 'device:d1', by: 'external:ben', personId: ben, firstAt: AT + 5 },
    ]);
    await markShared(
      lab.db,
      [
        { kind: 'email', value: 'house@example.com' },
        { kind: 'external', value: 'ann' },
      ],
      'test',
      'test',
      AT,
    );
    await query(
      lab.db,
      `insert into identifiers (kind, value, person_id, first_at) values ('email', 'old@example.com', :ann, '-infinity')`,
      { ann },
    );
    const standing = await look(null, ['device:d1', 'email:house@example.com', 'email:old@example.com', 'external:ann']);
    expect([...standing.weak].sort((a, b) => a.firstAt - b.firstAt)).toEqual([
      { identifier: 'device:d1', claimedBy: 'external:ann', personId: ann, firstAt: AT },
      { identifier: 'device:d1', claimedBy: 'external:ben', personId: ben, firstAt: AT + 5 },
    ]);
    expect([...standing.shared]).toEqual(['email:house@example.com']);
    expect(standing.found.get('email:old@example.com')).toEqual({ personId: ann, firstAt: -Infinity });
    expect(standing.locked.map((one) => one.id)).toEqual([ann, ben]);
  });

  it('who has been joined into somebody else meanwhile is wanted and not locked', async () => {
    await give('external:gone', '999999');
    expect(await look(null, ['external:gone'])).toMatchObject({ wanted: 1, locked: [] });
  });

  it('two that look for the same people wait for each other and neither stops the other', async () => {
    const ids = [await person('a'), await person('b'), await person('c')];
    for (const [n, id] of ids.entries()) await give(`external:${'abc'[n]}`, id);
    const order: string[] = [];
    const go = (name: string, identifiers: string[]) =>
      lab.db.transaction(async (trx) => {
        await claimAndLook(trx, null, identifiers, []);
        order.push(`${name} has them`);
        await new Promise((done) => setTimeout(done, 50));
        order.push(`${name} lets go`);
      });
    await Promise.all([go('one', ['external:c', 'external:a', 'external:b']), go('two', ['external:b', 'external:c', 'external:a'])]);
    expect(order.map((line) => line.replace(/one|two/, 'x'))).toEqual(['x has them', 'x lets go', 'x has them', 'x lets go']);
  });
});

describe('consent', () => {
  const word = (personId: string, state: 'given' | 'withdrawn', at: number) => ({
    personId,
    channel: 'email' as const,
    state: { state, at },
    detail: { ...PLAIN_DETAIL, how: 'test' },
  });

  it('who waited for a lock sees the consent that was given meanwhile, not what stood before', async () => {
    const ann = await person('ann');
    let letGo = (): void => {};
    let hold = (): void => {};
    const held = new Promise<void>((done) => (hold = done));
    const first = lab.db.transaction(async (trx) => {
      await lockPeople(trx, [ann]);
      await saveConsents(trx, [word(ann, 'given', AT)]);
      await new Promise<void>((done) => {
        letGo = done;
        hold();
      });
    });
    await held;
    const second = lab.db.transaction(async (trx) => (await lockPeople(trx, [ann])).get(ann)!.consents.get('email'));
    const waits = `select 1 from pg_stat_activity where datname = current_database() and wait_event_type = 'Lock'`;
    while (!(await query(lab.db, waits)).length) await new Promise((done) => setTimeout(done, 5));
    letGo();
    await first;
    expect(await second).toEqual({ state: 'given', at: AT });
  });

  it('two words told at the same time: the later one stands, whoever was first to the door', async () => {
    for (let round = 0; round < 8; round++) {
      const email = `p${round}@example.com`;
      const agree = (given: boolean, hour: number) =>
        lab.tell(happening('page.viewed', { person: { email, consent: { email: given } } }, { time: `2026-11-02T${hour}:00:00Z` }));
      await agree(true, 10);
      await Promise.all(round % 2 ? [agree(false, 12), agree(true, 11)] : [agree(true, 11), agree(false, 12)]);
      expect(
        await query(lab.db, `select c.state from consents c join people p on p.id = c.person_id where p.email = :email`, { email }),
        email,
      ).toEqual([{ state: 'withdrawn' }]);
    }
  });

  it('is logged with the address it was said for, word by word, newest first', async () => {
    const ann = await person('ann', { email: 'ann@example.com' });
    await saveConsents(lab.db, [word(ann, 'given', AT)]);
    await saveConsents(lab.db, [word(ann, 'withdrawn', AT + 1000)]);
    expect((await readConsents(lab.db, ann)).map(({ channel, state, at }) => ({ channel, state, at }))).toEqual([
      { channel: 'email', state: 'withdrawn', at: AT + 1000 },
    ]);
    expect((await consentLog(lab.db, ann)).map(({ state, address, how }) => ({ state, address, how }))).toEqual([
      { state: 'withdrawn', address: 'ann@example.com', how: 'test' },
      { state: 'given', address: 'ann@example.com', how: 'test' },
    ]);
  });
});

describe('identifiers', () => {
  it('one that is taken is refused; earlier use is noted, later is not', async () => {
    const [ann, ben] = [await person('ann'), await person('ben')];
    await give('email:a@example.com', ann, AT);
    await expect(give('email:a@example.com', ben)).rejects.toMatchObject({ code: '23505' });
    await ageIdentifiers(lab.db, [{ key: 'email:a@example.com', firstAt: AT + 10 }]);
    expect((await findByIdentifiers(lab.db, ['email:a@example.com'])).get('email:a@example.com')).toEqual({ personId: ann, firstAt: AT });
    await ageIdentifiers(lab.db, [{ key: 'email:a@example.com', firstAt: AT - 10 }]);
    expect((await findByIdentifiers(lab.db, ['email:a@example.com', 'phone:+31612345678'])).get('email:a@example.com')).toEqual({
      personId: ann,
      firstAt: AT - 10,
    });
  });

  it('a value with a colon in it is itself, and no other kind’s', async () => {
    const ann = await person('ann');
    await give('external:email:x', ann);
    expect((await identifiersOf(lab.db, ann)).map(({ kind, value }) => [kind, value])).toEqual([['external', 'email:x']]);
    expect((await findByIdentifiers(lab.db, ['email:x'])).size).toBe(0);
    expect(await findPerson(lab.db, { externalId: 'email:x' })).toMatchObject({ id: ann });
  });

  it.each(['', 'x', '-1', '1e3', '9'.repeat(30), "1' or '1'='1"])('%j is no number of a person', async (id) =>
    expect(await findPerson(lab.db, { id })).toBeNull(),
  );
});

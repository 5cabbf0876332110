import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { MOST_HOPS } from '@/core/flows';
import { flowWith, rises } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { editPerson } from '../people';
import { happening, openLab, type Lab } from '../testing/lab';
import { publishFlow, writeDraft } from './flows';
import { tellChanges } from './heard';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await lab.empty('flows', 'flow_versions', 'flow_hears', 'changes_to_tell');
});

const person = (more: object) => happening('page.viewed', { person: { email: 'a@example.com', consent: { email: true }, ...more } });
const told = () =>
  query<{ properties: object }>(lab.db, `select properties from events where type = 'attribute.changed' order by id`).then((rows) =>
    rows.map((row) => row.properties),
  );
const planned = (where: object[] = []) => flowWith({ triggers: [{ id: 'start', kind: 'change', name: 'plan', where }], reentry: 'always' });

describe('a trigger by a change on file', () => {
  it('starts by whichever door the change comes, at its moment, and not by what somebody is first known with', async () => {
    await lab.addFlow('plan', planned());
    await lab.tell(person({ plan: 'free', city: 'Utrecht' }));
    await lab.settle();
    expect(await told()).toEqual([]);
    await lab.tell(person({ plan: 'plus', city: 'Delft' }));
    await lab.settle();
    expect(await told()).toEqual([{ attribute: 'plan', was: 'free', is: 'plus' }]);
    expect(lab.inbox).toHaveLength(1);
    const [row] = await query<{ id: string }>(lab.db, 'select id from people');
    await editPerson(lab.db, `~${row!.id}`, { attributes: { plan: null } }, 'Marla');
    await lab.settle();
    expect(await told()).toEqual([
      { attribute: 'plan', was: 'free', is: 'plus' },
      { attribute: 'plan', was: 'plus', is: null },
    ]);
    expect(lab.inbox).toHaveLength(2);
    expect(await query(lab.db, 'select 1 from changes_to_tell')).toEqual([]);
    expect(
      await query(
        lab.db,
        `select count(*)::int as n from events e join fact_changes c on c.person_id = e.person_id and abs(extract(epoch from c.at - e.time)) < 0.001
         where e.type = 'attribute.changed' and c.name = 'plan'`,
      ),
    ).toEqual([{ n: 2 }]);
  });

  it('asks from what, to what, and by how much', async () => {
    await lab.addFlow('to-plus', planned([{ property: 'is', op: 'is', value: 'plus' }]));
    await lab.addFlow(
      'down',
      flowWith({
        triggers: [{ id: 'start', kind: 'change', name: 'points', where: [{ property: 'by', op: 'atMost', value: -5 }] }],
        reentry: 'always',
      }),
    );
    await lab.tell(person({ plan: 'free', points: 10.3 }));
    for (const change of [{ plan: 'team' }, { plan: 'plus' }, { points: 8 }, { points: 12.2 }, { points: 7.2 }]) {
      await lab.tell(person(change));
      await lab.settle();
    }
    const entered = await query(
      lab.db,
      'select f.key, count(*)::int as n from runs r join flows f on f.id = r.flow_id where entered_at is not null group by 1 order by 1',
    );
    expect(entered).toEqual([
      { key: 'down', n: 1 },
      { key: 'to-plus', n: 1 },
    ]);
    // 8 less 10.3 is 2.3 less, to the last digit
    expect(await told()).toContainEqual({ attribute: 'points', was: 10.3, is: 8, by: -2.3 });
  });

  it('comes to an end where what a flow changes starts it again', async () => {
    await lab.addFlow('rises', rises);
    await lab.tell(person({ points: 1 }));
    await lab.tell(person({ points: 20 }));
    await lab.settle();
    expect(await query(lab.db, `select attributes -> 'rises' as rises from people`)).toEqual([{ rises: MOST_HOPS + 1 }]);
    expect((await told()).at(-1)).toEqual({
      attribute: 'rises',
      was: MOST_HOPS - 1,
      is: MOST_HOPS,
      by: 1,
      byFlow: 'rises',
      hops: MOST_HOPS,
    });
  });

  it('hears nothing that no flow asks for, nor of a version that is not on any more', async () => {
    await lab.addFlow('plan', planned());
    await lab.tell(person({ plan: 'free', city: 'Utrecht' }));
    await lab.tell(person({ city: 'Delft' }));
    expect(await tellChanges(lab.db)).toBe(0);
    await writeDraft(lab.db, 'plan', flowWith({}), null);
    await publishFlow(lab.db, 'plan', 'Marla');
    await lab.tell(person({ plan: 'plus' }));
    await lab.settle();
    expect(await told()).toEqual([]);
  });
});

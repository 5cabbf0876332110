import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { flowWith, letter } from '@/core/flows/testing/asking';
import { query } from '@/data/db';
import { publishFlow, writeDraft } from './flows';
import { preflightOf } from './checked';
import { keepCatalogue } from '../sources';
import { happening, openLab, type Lab } from '../testing/lab';

let lab: Lab;
const branch = {
  id: 'by-value',
  kind: 'branch',
  name: 'By value',
  arms: [
    { id: 'huge', name: 'Huge', when: { test: 'trigger', property: 'value', op: 'atLeast', value: 1000 }, steps: [letter('huge-one')] },
    { id: 'rest', name: 'The rest', when: null, steps: [letter('plain-one')] },
  ],
};
const leaves = { goal: { event: 'order.placed', where: [{ property: 'value', op: 'above', value: 5000 }], within: 'P7D', ends: true } };
const flowOf = (more: object = {}) => flowWith({ steps: [branch], ...leaves, ...more } as Parameters<typeof flowWith>[0]);
beforeAll(async () => {
  lab = await openLab({ flow: null });
  await lab.addFlow('orders', flowOf());
  await lab.addFlow(
    'beside',
    flowOf({ steps: [{ id: 'on', kind: 'hand', name: 'On', flow: 'orders', leaves: false }, letter('beside-one')] }),
  );
  await lab.tell(
    Array.from({ length: 30 }, (_, n) =>
      happening('order.placed', {
        orderId: `o${n}`,
        value: 20 + n,
        currency: 'EUR',
        country: n % 2 ? 'Netherlands' : 'Belgium',
        person: { email: `p${n}@example.com`, consent: { email: n < 3 } },
      }),
    ),
  );
  await lab.settle();
  await keepCatalogue(lab.db, false);
});
afterAll(() => lab.close());

const found = async (document: object) => {
  await writeDraft(lab.db, 'orders', document, null);
  return preflightOf(lab.db, 'orders');
};

describe('the preflight of a flow that has been on', () => {
  it('tells what the last 90 days show, with numbers', async () => {
    const { findings } = await found(
      flowOf({
        triggers: [
          {
            id: 'start',
            kind: 'event',
            event: 'order.placed',
            key: 'orderId',
            where: [{ property: 'country', op: 'is', value: 'Netherland' }],
          },
        ],
        steps: [branch, { id: 'to-beside', kind: 'hand', name: 'To beside', flow: 'beside', leaves: false }],
      }),
    );
    const says = findings.map((finding) => finding.says);
    expect(says).toContain('Nobody took “Huge” in the last 90 days, of 30 who came by');
    expect(says).toContain('“Of its steps” starts with order.placed too: 30 people went into both in the last 90 days');
    expect(says).toContain('People are handed over in a circle: orders → beside → orders');
    expect(says).toContain('Of 30 people who did what starts it in the last 90 days, 3 can be sent marketing by email');
    expect(findings.find((finding) => finding.code === 'value-unknown')).toMatchObject({
      says: 'A condition (trigger) asks whether country of order.placed is “Netherland”, which has never occurred',
      advice: 'Is one of these meant: Netherlands (15)?',
      place: null,
    });
    expect(findings.find((finding) => finding.code === 'arm-not-taken')!.place).toEqual({ step: 'by-value', kind: 'branch' });
  });

  it('gives the document that mends it, and takes what was accepted as it is', async () => {
    const off = { ...letter('off-one'), off: true };
    const first = await found(flowOf({ steps: [branch, off] }));
    const mend = first.findings.find((finding) => finding.code === 'message-off')!.mend!;
    expect(mend.says).toBe('Switch it on');
    expect((await found(mend.document)).findings.map((finding) => finding.code)).not.toContain('message-off');
    const accepted = await found(flowOf({ steps: [branch, off], accepted: [{ code: 'message-off', step: 'off-one', reason: 'for now' }] }));
    expect(accepted.findings.at(-1)).toMatchObject({ code: 'message-off', accepted: 'for now' });
  });

  it('knows the forms that were made since it was published', async () => {
    const asked = {
      id: 'start',
      kind: 'event',
      event: 'form.submitted',
      key: null,
      where: [{ property: 'formId', op: 'is', value: 'letter' }],
    };
    const since = async () =>
      (await found(flowOf({ triggers: [asked], reentry: 'always' }))).findings.filter(({ code }) => code === 'form-not-heard');
    const form = (key: string, when: string) =>
      query(
        lab.db,
        `with source as (insert into sources (key, kind, name, created_at) values (:key, 'form', :key, now()) returning id)
         insert into forms (key, name, source_id, document, created_at, changed_at)
         select :key, :key, id, '{}', now() + cast(:when as interval), now() from source`,
        { key, when },
      );
    await form('before', '-1 day');
    expect(await since()).toEqual([]);
    await form('after', '1 day');
    expect((await since()).map(({ says }) => says)).toEqual([
      'The form “after” was made after this flow was last published, and does not start it',
    ]);
    await query(lab.db, 'update forms set is_open = false');
    expect(await since()).toEqual([]);
  });

  it('stops a publishing whose check fails, in words, and lets it pass when the check is right', async () => {
    const check = (sends: string[]) => ({
      name: 'A small order',
      events: [{ type: 'order.placed', after: 'PT1M', data: { orderId: 'o', value: 5 } }],
      expects: { sends },
    });
    const { checks } = await found(flowOf({ checks: [check(['huge-one'])] }));
    expect(checks).toEqual([{ name: 'A small order', isWell: false, says: 'gets “plain-one”, not “huge-one”' }]);
    await expect(publishFlow(lab.db, 'orders', 'Marla')).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'flow', wrong: 'The check “A small order” fails: they get “plain-one”, not “huge-one”' }],
    });
    await writeDraft(lab.db, 'orders', flowOf({ checks: [check(['plain-one'])] }), null);
    expect((await publishFlow(lab.db, 'orders', 'Marla')).version).toBe(2);
  });
});

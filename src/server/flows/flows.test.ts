import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { changeStep, sayStep, type FlowDocument, type SendStep, type Step } from '@/core/flows';
import { query } from '@/data/db';
import { cartLeftBehind, firstOrder } from '../../demo/flows';
import { listOfFlows } from './list';
import { publishFlow, readFlow, switchFlow, writeDraft } from './flows';
import { dueFrom, dueMeanwhile } from './meanwhile';
import { cart, openLab, type Lab } from '../testing/lab';

let lab: Lab;
beforeAll(async () => {
  lab = await openLab({ flow: null });
});
afterAll(() => lab.close());
beforeEach(async () => {
  lab.inbox.length = 0;
  await query(
    lab.db,
    'truncate flows, flow_versions, runs, traces, sends, people, identifiers, consents, events, event_keys, acts restart identity cascade',
  );
});

const write = (document: unknown, revision: number | null = null, key = 'carts') => writeDraft(lab.db, key, document, revision);
const publish = (key = 'carts', revision: number | null = null) => publishFlow(lab.db, key, 'Marla', revision);
const longer = changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'P2D' }) as Step);
const untitled = changeStep(
  cartLeftBehind,
  'reminder',
  (step) => ({ ...step, message: { ...(step as SendStep).message, subject: '' } }) as Step,
);

describe('a draft', () => {
  it('makes a flow of a key that is new, and never runs by itself', async () => {
    expect(await write(cartLeftBehind)).toMatchObject({
      key: 'carts',
      name: 'Cart left behind',
      state: 'draft',
      version: null,
      published: null,
      changes: [],
      preflight: [],
      inside: 0,
      armed: 0,
    });
    await lab.tell(cart('a@example.com', 50));
    await lab.pass('P2D');
    expect(lab.inbox).toEqual([]);
    expect(await query(lab.db, 'select 1 from runs')).toEqual([]);
    await expect(switchFlow(lab.db, 'carts', 'on', 'Marla')).rejects.toMatchObject({ status: 409 });
  });

  it('says beside it what publishing would change, and for how many', async () => {
    await write(cartLeftBehind);
    await publish();
    await lab.tell([cart('a@example.com', 50), cart('b@example.com', 150)]);
    await lab.pass('PT2H');
    await lab.tell(cart('c@example.com', 150));
    const view = await write({ ...longer, name: 'Carts' });
    expect(view).toMatchObject({
      state: 'on',
      version: 1,
      inside: 2,
      armed: 1,
      draft: { name: 'Carts' },
      published: { name: 'Cart left behind' },
    });
    expect(view.changes.map((change) => change.says)).toEqual([
      'Name: “Cart left behind” becomes “Carts”',
      'Wait: 23 hours becomes 2 days',
    ]);
    expect((await listOfFlows(lab.db)).flows).toMatchObject([{ key: 'carts', hasChanges: true, inside: 2 }]);
    expect((await write(cartLeftBehind)).changes).toEqual([]);
  });

  it('is not overwritten by somebody who has seen an older one; without saying which they saw, the last word stands', async () => {
    const first = await write(cartLeftBehind);
    const second = await write(longer, first.revision);
    expect(second.revision).toBe(first.revision + 1);
    await expect(write(cartLeftBehind, first.revision)).rejects.toMatchObject({ status: 409 });
    expect((await readFlow(lab.db, 'carts')).draft).toEqual(longer);
    expect((await write(cartLeftBehind)).draft).toEqual(cartLeftBehind);
  });

  it('is published only as it was seen: a colleague’s edits do not go live unseen', async () => {
    const seen = await write(cartLeftBehind);
    const theirs = await write(longer, seen.revision);
    await expect(publish('carts', seen.revision)).rejects.toMatchObject({
      status: 409,
      message: expect.stringContaining('Somebody else has changed this draft'),
    });
    expect(await readFlow(lab.db, 'carts')).toMatchObject({ state: 'draft', version: null });
    expect(await publish('carts', theirs.revision)).toMatchObject({ state: 'on', version: 1, draft: longer });
  });

  it('two at the same moment: one is told', async () => {
    const { revision } = await write(cartLeftBehind);
    const answers = await Promise.allSettled([write(longer, revision), write({ ...cartLeftBehind, name: 'Other' }, revision)]);
    expect(answers.filter((one) => one.status === 'fulfilled')).toHaveLength(1);
    expect(answers.find((one) => one.status === 'rejected')).toMatchObject({ reason: { status: 409 } });
  });

  it.each<[string, unknown, string]>([
    ['a step of no kind', { ...cartLeftBehind, steps: [{ id: 'x', kind: 'fly' }] }, 'steps[0]'],
    ['a wait of no time', changeStep(cartLeftBehind, 'a-day', (step) => ({ ...step, for: 'PT0H' }) as Step), 'steps'],
    ['an id used twice', { ...cartLeftBehind, steps: [...cartLeftBehind.steps, cartLeftBehind.steps[1]] }, 'steps'],
    ['a field nobody knows', { ...cartLeftBehind, colour: 'red' }, ''],
    ['nothing', null, ''],
    ['a flow of another form', { ...cartLeftBehind, schema: 'viatic.flow/2' }, 'schema'],
  ])('with %s is refused with the place, and what was there stays', async (_what, document, field) => {
    await write(cartLeftBehind);
    await expect(write(document)).rejects.toMatchObject({
      status: 422,
      errors: expect.arrayContaining([expect.objectContaining({ field: expect.stringContaining(field) })]),
    });
    expect((await readFlow(lab.db, 'carts')).draft).toEqual(cartLeftBehind);
  });

  it.each(['', 'Big', 'a b', '-x', 'x'.repeat(61), '../x', 'é'])('%j is no key for it', async (key) => {
    await expect(write(cartLeftBehind, null, key)).rejects.toMatchObject({ status: 400 });
  });
});

describe('publishing', () => {
  it('makes versions that stay as they were, and writes down who did it', async () => {
    await write(cartLeftBehind);
    expect(await publish()).toMatchObject({ state: 'on', version: 1 });
    await write(longer);
    expect(await publish()).toMatchObject({ version: 2, changes: [] });
    expect(await query(lab.db, `select version, document->'steps'->1->>'for' as wait from flow_versions order by 1`)).toEqual([
      { version: 1, wait: 'PT23H' },
      { version: 2, wait: 'P2D' },
    ]);
    expect(await query(lab.db, 'select actor, what, detail from acts order by id')).toEqual(
      [1, 2].map((version) => ({ actor: 'Marla', what: 'flow.published', detail: { key: 'carts', version } })),
    );
  });

  it('what is the same already makes no version; a paused flow goes on by it', async () => {
    await write(cartLeftBehind);
    await publish();
    expect(await publish()).toMatchObject({ version: 1 });
    await switchFlow(lab.db, 'carts', 'paused', 'Tom');
    expect(await publish()).toMatchObject({ version: 1, state: 'on' });
    expect((await query<{ what: string }>(lab.db, 'select what from acts order by id')).map((row) => row.what)).toEqual([
      'flow.published',
      'flow.paused',
      'flow.resumed',
    ]);
  });

  it('is refused with each thing that has to be mended, by its step; two at once make one version', async () => {
    await write(untitled);
    await expect(publish()).rejects.toMatchObject({
      status: 422,
      errors: [{ field: 'reminder', wrong: '“Reminder” has no subject', right: 'Write a subject line.' }],
    });
    expect(await readFlow(lab.db, 'carts')).toMatchObject({
      state: 'draft',
      version: null,
      preflight: [{ level: 'stops', stepId: 'reminder' }],
    });
    await write(cartLeftBehind);
    await Promise.all([publish(), publish(), publish()]);
    expect(await query(lab.db, 'select version from flow_versions')).toEqual([{ version: 1 }]);
  });

  it('of what is not there is answered so', async () => {
    for (const act of [() => publish('none'), () => readFlow(lab.db, 'none'), () => switchFlow(lab.db, 'none', 'paused', 'Marla')])
      await expect(act()).rejects.toMatchObject({ status: 404 });
  });
});

describe('pause', () => {
  it('holds everybody where they are, and lets nobody in; resumed, who was due goes on, once', async () => {
    await write(cartLeftBehind);
    await publish();
    await lab.tell(cart('a@example.com', 50));
    await lab.pass('PT1H');
    expect(lab.inbox).toHaveLength(1);
    await switchFlow(lab.db, 'carts', 'paused', 'Marla');
    expect(await switchFlow(lab.db, 'carts', 'paused', 'Marla')).toMatchObject({ state: 'paused' });
    await lab.tell(cart('b@example.com', 50));
    await lab.pass('P2D');
    expect(lab.inbox).toHaveLength(1);
    await switchFlow(lab.db, 'carts', 'on', 'Marla');
    await lab.settle();
    expect(lab.inbox.map((mail) => [(mail.to as { text: string }).text, mail.subject])).toEqual([
      ['a@example.com', 'You left something in your cart'],
      ['a@example.com', 'Shall we put your cart back on the shelf?'],
    ]);
    expect((await query<{ what: string }>(lab.db, 'select what from acts order by id')).map((row) => row.what)).toEqual([
      'flow.published',
      'flow.paused',
      'flow.resumed',
    ]);
  });

  it('says who was due meanwhile, and drops that where it is asked to: they go on from there', async () => {
    const reminder = cartLeftBehind.steps.find((step) => step.id === 'reminder')!;
    const day = { id: 'day', kind: 'wait', for: 'P1D' };
    // versions are kept by the number of their flow, which begins anew with each test: this one has a number of its own
    for (const other of ['one', 'two', 'three']) await write(cartLeftBehind, null, other);
    await write({
      ...cartLeftBehind,
      steps: cartLeftBehind.steps.flatMap((step) => (step.id === 'reminder' ? [step, day, { ...step, id: 'last' }] : [step])),
    });
    await publish();
    await lab.tell([cart('a@example.com', 50), cart('b@example.com', 150)]);
    await lab.pass('PT1H');
    expect(await dueMeanwhile(lab.db, 'carts')).toEqual({ people: 0, steps: [] });
    await switchFlow(lab.db, 'carts', 'paused', 'Marla');
    expect(await dueMeanwhile(lab.db, 'carts')).toEqual({ people: 0, steps: [] });
    await lab.pass('P2D');
    expect(await dueMeanwhile(lab.db, 'carts')).toEqual({
      people: 2,
      steps: [{ step: 'reminder', says: sayStep(reminder), isMessage: true, people: 2 }],
    });
    await switchFlow(lab.db, 'carts', 'on', 'Marla', 'drop');
    await lab.settle();
    expect(lab.inbox).toHaveLength(2);
    const told = await query<{ saw: object }>(lab.db, "select saw from traces where kind = 'skipped'");
    expect(told.map((row) => row.saw)).toEqual([{ dropped: true }, { dropped: true }]);
    await lab.pass('P1D');
    expect(lab.inbox).toHaveLength(4);
    expect(await query(lab.db, 'select 1 from runs where drops_due')).toEqual([]);
    expect(() => dueFrom('later')).toThrow('Not a choice');
  });
});

describe('two flows', () => {
  it('do not know of each other: each has its own people, versions and figures', async () => {
    await write(cartLeftBehind);
    await write(firstOrder as FlowDocument, null, 'orders');
    await publish();
    await publish('orders');
    await lab.tell(cart('a@example.com', 50));
    await lab.pass('PT1H');
    await switchFlow(lab.db, 'orders', 'paused', 'Marla');
    expect((await listOfFlows(lab.db)).flows.map(({ key, state, inside, entered }) => ({ key, state, inside, entered }))).toEqual(
      expect.arrayContaining([
        { key: 'carts', state: 'on', inside: 1, entered: 1 },
        { key: 'orders', state: 'paused', inside: 0, entered: 0 },
      ]),
    );
  });
});

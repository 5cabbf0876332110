import { describe, expect, it } from 'vitest';
import { DAY } from '../../time';
import { cellOf, columnOf, rowKeyOf, type Tables } from '../../tables';
import type { Value } from '../../rules';
import { diff } from '../diff';
import { flowSchema, type FlowDocument, type Step } from '../document';
import { preflight } from '../preflight';
import { flowWith, letter } from '../testing/asking';
import { live } from '../testing/arrivals';
import { sayTrace } from '../trace';

const START = Date.UTC(2026, 10, 1, 12);
const ROWS: [string, Record<string, Value>][] = [
  ['t30', { sku: 'T30', litres: 30, text: 'Rinse' }],
  ['nl', { days: 2 }],
];
const SHEETS: Tables = new Map([['sheets', { name: 'Care sheets', rows: new Map(ROWS) }]]);
const arm = (id: string, ...steps: Step[]) => ({ id, name: id, when: null, steps });
const sheet = (more: object = {}): Step => ({
  id: 'sheet',
  kind: 'lookup',
  name: 'Care sheet',
  table: 'sheets',
  by: { from: 'sku' },
  arms: [arm('yes', letter('has')), arm('no', letter('has-not'))],
  ...more,
});
const went = (document: FlowDocument, data: { readonly [name: string]: Value }, attributes: { readonly [name: string]: Value } = {}) => {
  const event = { id: '1', type: 'order.placed', time: START, properties: { orderId: 'o1', ...data } };
  const flow = { key: 'f', document, isOn: true, zone: 'UTC', tables: SHEETS };
  const lived = live(flow, [{ event, at: START }], START + 2 * DAY, { attributes, isSparing: true });
  const { trace, run } = lived.runs[0]!;
  return {
    run,
    sent: lived.sends.map(({ stepId }) => stepId),
    says: trace.map((entry) => sayTrace(entry, { trigger: 'start', key: 'o1' }, document, { currency: 'EUR', zone: 'UTC' }).says),
  };
};
const flowOf = (...steps: Step[]) => flowWith({ name: 'Sheets', steps });
const differs = (was: FlowDocument, is: FlowDocument) => diff(was, is, 'EUR').map(({ says }) => says);

describe('looking a row up', () => {
  it('finds it by what came with the start, whatever its capitals, and says so', () => {
    const { sent, says, run } = went(flowOf(sheet()), { sku: ' t30 ' });
    expect(sent).toEqual(['has']);
    expect(says).toContain('Looked up “Care sheet”: found t30');
    expect(run.answers.sheet!.data).toEqual({ sku: 'T30', litres: 30, text: 'Rinse' });
  });

  it('goes the other way where there is no row, nothing to look by, or no such table', () => {
    const gone = went(flowOf(sheet()), { sku: 'T99' });
    expect([gone.sent, gone.says.includes('Looked up “Care sheet”: no row for t99')]).toEqual([['has-not'], true]);
    const nothing = went(flowOf(sheet()), {});
    expect([nothing.sent, nothing.says.includes('Looked up “Care sheet”: nothing to look for')]).toEqual([['has-not'], true]);
    expect(went(flowOf(sheet({ table: 'gone' })), { sku: 'T30' }).sent).toEqual(['has-not']);
  });

  it('looks by an attribute and by an earlier answer, and conditions further on go by its fields', () => {
    const { arms: _, ...plain } = sheet() as Extract<Step, { kind: 'lookup' }>;
    const isSmall = { test: 'answer' as const, step: 'sheet', property: 'litres', op: 'atMost' as const, value: 40 };
    const branch: Step = {
      id: 'by-size',
      kind: 'branch',
      name: 'By size',
      arms: [{ id: 'small', name: 'Small', when: isSmall, steps: [letter('little')] }, arm('other', letter('rest'))],
    };
    expect(went(flowOf(plain, branch), { sku: 'T30' }).sent).toEqual(['little']);
    expect(went(flowOf({ ...plain, by: { attribute: 'country' } }, branch), {}, { country: 'NL' }).sent).toEqual(['rest']);
    // spelled another way it is the same country
    for (const country of ['Netherlands', 'nederland'])
      expect(went(flowOf({ ...plain, by: { attribute: 'country' } }), {}, { country }).run.answers.sheet?.data, country).toEqual({
        days: 2,
      });
    const second: Step = { ...plain, id: 'second', by: { answer: 'sheet', property: 'sku' } };
    expect(went(flowOf(plain, second), { sku: 'T30' }).run.answers.second!.data).toMatchObject({ litres: 30 });
    const codes = (flow: FlowDocument) => preflight(flow).map(({ code }) => code);
    expect(codes(flowOf(branch))).toContain('no-such-answer');
    expect(codes(flowOf(plain, branch))).not.toContain('no-such-answer');
  });

  it('a table that is not on file stops publishing, and what differs is said', () => {
    const none = new Map<string, string>();
    const onFile = { list: none, segment: none, flow: none, topic: none, offer: none, table: none, 'country group': none };
    const found = preflight(flowOf(sheet()), onFile).filter(({ code }) => code === 'not-on-file');
    expect(found.map((one) => [one.level, one.says])).toEqual([['stops', 'Look up “Care sheet”: the table sheets is not on file']]);
    expect(differs(flowOf(sheet()), flowOf(sheet({ table: 'other', by: { attribute: 'breed' } })))).toEqual([
      '“Care sheet” looks in other instead of sheets',
      '“Care sheet” looks by their breed instead of sku of what started it',
    ]);
  });
});

describe('what a table says', () => {
  it.each([
    ['30', 30],
    ['-4.5', -4.5],
    ['007', '007'],
    ['1e3', '1e3'],
    ['true', true],
    ['', null],
    ['  Bike courier ', 'Bike courier'],
    ['123456789012345678', '123456789012345678'],
  ])('“%s” is %j', (text, value) => expect(cellOf(text)).toBe(value));

  it('compares keys without regard to capitals and spaces, and numbers as they are written', () => {
    expect([' NL ', 30, '30', '', null, ['NL']].map(rowKeyOf)).toEqual(['nl', '30', '30', null, null, null]);
    expect(['Care sheet', '2nd name', ' Größe (cm) '].map(columnOf)).toEqual(['Care_sheet', '_2nd_name', 'Größe_cm']);
  });
});

describe('a note to a colleague', () => {
  const note = (more: object = {}): Step => ({
    id: 'note',
    kind: 'note',
    name: 'Big order',
    to: { email: 'robin@shop.example' },
    text: 'Look at {{ event.orderId }}',
    ...more,
  });

  it('is asked for once, and the run goes on at once', () => {
    const { says, sent } = went(flowOf(note(), letter('after')), {});
    expect(says).toContain('Told robin@shop.example of them: “Big order”');
    expect(sent).toEqual(['after']);
    expect(went(flowOf(note({ to: { attribute: 'accountManager' } })), {}).says).toContain(
      'Told whoever their account manager names of them: “Big order”',
    );
  });

  it('has an address and a text before it is published', () => {
    const codes = (more: object) => preflight(flowOf(note(more))).flatMap(({ stepId, code }) => (stepId === 'note' ? [code] : []));
    expect(codes({})).toEqual([]);
    expect(codes({ text: ' ' })).toEqual(['no-text']);
    expect(codes({ text: '{{ event.x' })).toContain('placeholder-unreadable');
    expect(codes({ to: { email: 'team@example.com' } })).toEqual(['address-missing']);
    expect(codes({ to: { chat: 'http://shop.example/room' } })).toEqual(['without-encryption']);
    const parses = (to: object) => flowSchema.safeParse({ ...flowOf(letter('a')), steps: [note({ to })] }).success;
    expect([{ email: 'nobody' }, { chat: 'javascript:alert(1)' }, { chat: 'https://a:b@shop.example' }].map(parses)).toEqual([
      false,
      false,
      false,
    ]);
  });
});

describe('an update of others', () => {
  const own: Step = { id: 'up', kind: 'update', name: 'Reached', changes: [{ do: 'tag', tag: 'reached' }] };
  const update: Step = { ...own, others: { by: 'household', most: 5 } };

  it('is asked for where the person has a value there, and said', () => {
    expect(went(flowOf(update), {}, { household: ' H1' }).says).toContain(
      'Updated “Reached”: on the tag reached; the same of the others whose household is “h1”',
    );
    expect(went(flowOf(update), {}).says).toContain('Updated “Reached”: on the tag reached');
    expect(differs(flowOf(own), flowOf(update))).toEqual(['“Reached” changes the same of up to 5 others with the same household']);
  });
});

import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { stepsOf, type Step } from './document';
import { anyFlow } from './testing/anyflow';
import { retyped, typedStep, typedWords } from './typed';
import { armsOf, sayStep } from './steps';

const typed = (words: string) => typedStep(words, 'new')?.step;

describe('a step typed in words', () => {
  it.each([
    ['wait 2 d', 'P2D'],
    ['wait 2 days', 'P2D'],
    ['90 min', 'PT90M'],
    ['3h', 'PT3H'],
    ['wait 2 weeks', 'P2W'],
    ['Wait 1 hour', 'PT1H'],
  ])('“%s” waits %s', (words, length) => {
    expect(typed(words)).toEqual({ id: 'new', kind: 'wait', for: length });
  });

  it('a wait can end by what happens', () => {
    expect(typed('wait 3 days until order.placed')).toEqual({ id: 'new', kind: 'wait', for: 'P3D', until: { event: 'order.placed' } });
    expect(typed('wait until app.tank_added')).toMatchObject({ until: { event: 'app.tank_added' } });
  });

  it('a message has its channel and its name', () => {
    expect(typed('send reminder')).toMatchObject({ kind: 'send', name: 'Reminder', message: { channel: 'email' } });
    expect(typed('sms Last call')).toMatchObject({ kind: 'send', name: 'Last call', message: { channel: 'sms', text: '' } });
    expect(typed('push “There again”')).toMatchObject({ kind: 'send', name: 'There again', message: { channel: 'push' } });
    expect(typed('send')).toMatchObject({ name: 'New message' });
  });

  it('a branch by an amount of what started the flow, or by what the words mean, or by a name alone', () => {
    expect(typed('branch value')).toMatchObject({
      name: 'By value',
      arms: [
        { name: '100 and up', when: { test: 'trigger', property: 'value', op: 'atLeast', value: 100 } },
        { name: 'Below 100', when: null },
      ],
    });
    expect(typed('branch value over 50')).toMatchObject({ arms: [{ name: '50 and up' }, { name: 'Below 50' }] });
    const rule = { test: 'tag', tag: 'vip', has: true } as const;
    expect(typedStep('if vip', 'new', (words) => (words === 'vip' ? rule : null))?.step).toMatchObject({
      name: 'Vip',
      arms: [{ name: 'Vip', when: rule }, { name: 'Everyone else' }],
    });
    expect(typed('branch new ones')).toMatchObject({ name: 'New ones', arms: [{ when: { all: [] } }, { when: null }] });
  });

  it('a test has its shares, and the others what they are named by', () => {
    expect(typed('test short or long 30/70')).toMatchObject({ name: 'Short or long', arms: [{ share: 30 }, { share: 70 }] });
    expect(typed('tag vip')).toMatchObject({ kind: 'update', changes: [{ do: 'tag', tag: 'vip' }] });
    expect(typed('code welcome 10')).toMatchObject({ kind: 'code', offer: 'welcome-10', name: 'Welcome 10' });
    expect(typed('record app.reminded')).toMatchObject({ kind: 'record', event: 'app.reminded' });
    expect(typed('hand over to second-order')).toMatchObject({ kind: 'hand', flow: 'second-order' });
    expect(typed('end')).toEqual({ id: 'new', kind: 'end' });
  });

  it('what says nothing else is kept word for word as an idea; nothing typed is nothing', () => {
    expect(typedStep('ask how the fish are', 'new')).toEqual({
      step: { id: 'new', kind: 'idea', text: 'ask how the fish are' },
      isIdea: true,
    });
    // words that begin like a step and go on like something else
    expect(typed('waiting for spring')).toMatchObject({ kind: 'idea' });
    expect(typed('wait for the plumber to come')).toMatchObject({ kind: 'idea' });
    expect(typed('end of season')).toMatchObject({ kind: 'idea' });
    expect(typedStep('   ', 'new')).toBeNull();
  });

  it('law: whatever is typed is a step of its schema, or nothing', () => {
    fc.assert(
      fc.property(
        fc.tuple(
          fc.constantFrom('', 'wait ', 'send ', 'branch ', 'test ', 'code ', 'tag ', 'record ', 'hand over to ', 'task '),
          fc.string(),
        ),
        ([beginning, words]) => {
          const made = typedStep(beginning + words, 'new');
          if (!made) return;
          expect(made.step.id).toBe('new');
          expect(sayStep(made.step).length).toBeGreaterThan(0);
        },
      ),
      { numRuns: 500 },
    );
  });
});

describe('a line that is typed anew', () => {
  const step = (words: string, id = 'one'): Step => typedStep(words, id)!.step;

  it('law: a line as it is offered for editing, left as it is, changes nothing', () => {
    fc.assert(
      fc.property(anyFlow, (flow) => {
        for (const one of stepsOf(flow)) {
          const words = typedWords(one);
          if (words === null) continue;
          const again = retyped(one, words);
          if (one.kind === 'idea') expect(again).toMatchObject({ id: one.id });
          else expect(again).toEqual(one);
        }
      }),
      { numRuns: 200 },
    );
  });

  it('keeps what the line does not say', () => {
    const branch = step('branch value 100');
    expect(retyped(branch, 'branch by size of cart')).toEqual({ ...branch, name: 'By size of cart' });
    const letter = step('send Reminder');
    expect(retyped(letter, 'send Second reminder')).toEqual({ ...letter, name: 'Second reminder' });
    expect(retyped(letter, 'sms Second reminder')).toMatchObject({ id: 'one', message: { channel: 'sms' } });
    expect(retyped(step('wait 2 d until order.placed'), 'wait 3 d')).toEqual({ id: 'one', kind: 'wait', for: 'P3D' });
  });

  it('an idea becomes what it says; a real step never becomes another kind', () => {
    expect(retyped(step('ask how they like it'), 'wait 7 days')).toEqual({ id: 'one', kind: 'wait', for: 'P7D' });
    expect(retyped(step('send Reminder'), 'wait 7 days')).toBeNull();
    expect(armsOf(step('branch value')).length).toBe(2);
  });
});

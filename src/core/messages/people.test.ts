import { describe, expect, it } from 'vitest';
import { preflight, type SendStep } from '../flows';
import { cartLeftBehind } from '../../demo/flows';
import type { Message } from './message';
import { renderProblem, tellingPeople } from './people';

const message = (text: string): Message => ({
  schema: 'viatic.message/1',
  channel: 'email',
  kind: 'marketing',
  subject: 'Hello',
  preview: '',
  blocks: [{ id: 't', kind: 'text', text }],
});

describe('a message is put together for telling people before it goes out', () => {
  it.each([
    ['a loop without end', '{% for i in (1..99999999) %}x{% endfor %}'],
    ['loops in loops', '{% for a in (1..9999) %}{% for b in (1..9999) %}x{% endfor %}{% endfor %}'],
    [
      'text that doubles without end',
      '{% assign x = "xxxxxxxxxx" %}{% for i in (1..60) %}{% assign x = x | append: x %}{% endfor %}{{ x }}',
    ],
    [
      'a loop over what some people have much of',
      '{% for a in person.tags %}{% for b in person.tags %}{% for c in person.tags %}{{ a }}{{ b }}{{ c }}{% endfor %}{% endfor %}{% endfor %}',
    ],
  ])('%s stops it', (_what, text) => expect(renderProblem(message(text))).not.toBeNull());

  it.each([
    '',
    'Hi {{ person.firstName | fallback: "there" }}',
    '{% for item in event.items %}{{ item.name }} {{ item.price | money: event.currency }}{% endfor %}',
    '{{ event.checkoutUrl | with: "code", "X" }}',
  ])('%j does not', (text) => expect(renderProblem(message(text))).toBeNull());

  it('people who tell are those of whom nothing, much and strange is known', () => {
    const people = tellingPeople(message('{{ person.tags }} {{ event.total }}'));
    expect(people.map(({ person }) => typeof person.tags)).toEqual(['undefined', 'string', 'object', 'number']);
    expect(people.slice(1).every(({ event }) => Array.isArray(event.items) && event.total !== undefined)).toBe(true);
  });

  it('and the preflight says so, with the place', () => {
    const send = (steps: readonly unknown[]): SendStep =>
      JSON.parse(JSON.stringify(steps).match(/\{"id":"[^"]+","kind":"send".*?\}\]\}\}/)![0]) as SendStep;
    const step = { ...send(cartLeftBehind.steps), message: message('{% for i in (1..99999999) %}x{% endfor %}') };
    expect(preflight({ ...cartLeftBehind, steps: [step] })).toContainEqual(
      expect.objectContaining({ level: 'stops', stepId: step.id, says: expect.stringContaining('cannot be put together') }),
    );
  });
});

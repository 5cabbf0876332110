'use client';

import { changeStep, type NoteStep, type NoteTo, type Step } from '@/core/flows';
import { areaClass, Field, inputClass } from '../kit';
import { PLACEHOLDERS } from './AskEditors';
import { AttributeField, NameField, Part, type Props } from './fields';

const TO = [
  ['email', 'one address'],
  ['attribute', 'whom an attribute names'],
  ['chat', 'a room of your chat'],
] as const;
const FIRST: { readonly [key in (typeof TO)[number][0]]: NoteTo } = {
  email: { email: 'team@example.com' },
  attribute: { attribute: 'accountManager' },
  chat: { chat: 'https://example.com/room' },
};

/** A note to a colleague: to whom, and what it says. */
export function NotePart({ document, step, edit }: Props<NoteStep>) {
  const put = (change: Partial<NoteStep>, field: string) =>
    edit(
      changeStep(document, step.id, (one) => ({ ...one, ...change }) as Step),
      `${step.id}.${field}`,
    );
  const { to } = step;
  const way = TO.find(([key]) => key in to)![0];
  return (
    <Part title="Note to a colleague">
      <NameField document={document} step={step} edit={edit} />
      <Field label="Goes to">
        <select value={way} onChange={(event) => put({ to: FIRST[event.target.value as typeof way] }, 'to')} className={inputClass}>
          {TO.map(([key, says]) => (
            <option key={key} value={key}>
              {says}
            </option>
          ))}
        </select>
      </Field>
      {'email' in to ? (
        <Field label="Email address">
          <input
            type="email"
            value={to.email}
            maxLength={254}
            onChange={(event) => put({ to: { email: event.target.value.trim() } }, 'to.email')}
            className={inputClass}
          />
        </Field>
      ) : 'attribute' in to ? (
        <AttributeField
          value={to.attribute}
          hint="It holds the email address of a colleague."
          onChange={(attribute) => put({ to: { attribute } }, 'to.attribute')}
        />
      ) : (
        <Field
          label="Address of the room"
          hint="It gets a signed POST of {text}; the secret stands under Settings, Calls."
          problem={URL.canParse(to.chat) ? null : 'Not an address'}
        >
          <input
            value={to.chat}
            maxLength={2000}
            onChange={(event) => put({ to: { chat: event.target.value.trim() } }, 'to.chat')}
            className={`${inputClass} font-mono text-xs`}
          />
        </Field>
      )}
      <Field label="What it says" hint={PLACEHOLDERS} problem={step.text.trim() ? null : 'A note needs a text'}>
        <textarea
          value={step.text}
          rows={4}
          maxLength={4000}
          onChange={(event) => put({ text: event.target.value }, 'text')}
          className={areaClass}
        />
      </Field>
      <p className="text-xs text-soft">It leads to the page of the person. Whoever is inside goes on at once.</p>
    </Part>
  );
}

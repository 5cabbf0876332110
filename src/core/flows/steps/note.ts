import * as z from 'zod';
import { placeholderProblem } from '../../messages';
import { propertyName, sayName } from '../../rules';
import { name, stepId } from '../parts';
import { boundTo } from './asked';
import type { StepKind } from './kind';

/** To whom a note goes: a colleague at an address, whoever an attribute of the person names, or a room of a chat by its address. */
export type NoteTo = { email: string } | { attribute: string } | { chat: string };

/** Tells a colleague, or a room of theirs, of the person; the run goes on at once. */
export interface NoteStep {
  id: string;
  kind: 'note';
  name: string;
  to: NoteTo;
  /** what it says, with placeholders */
  text: string;
}

export const noteSchema = z.strictObject({
  id: stepId,
  kind: z.literal('note'),
  name,
  to: z.union([
    z.strictObject({ email: z.email('is no email address').max(254) }),
    z.strictObject({ attribute: propertyName }),
    z.strictObject({
      chat: z
        .url({ protocol: /^https?$/, message: 'is no address; write one that begins with https://' })
        .max(2000)
        .refine((url) => !URL.canParse(url) || !new URL(url).username, 'must not hold a name or a password'),
    }),
  ]),
  text: z.string().max(4000),
});

/** For how long a room that does not answer is tried. */
const TRIED_FOR = 'P1D';

/** To whom a note goes, in words. */
export const sayNoteTo = (to: NoteTo): string =>
  'email' in to
    ? to.email
    : 'attribute' in to
      ? `whoever their ${sayName(to.attribute)} names`
      : `the room at ${URL.canParse(to.chat) ? new URL(to.chat).host : to.chat}`;

export const noteKind: StepKind<NoteStep> = {
  actsOnce: true,
  run(step, here) {
    if (here.dropsDue) here.note('skipped', { saw: { dropped: true } });
    else {
      here.do({ kind: 'note', within: TRIED_FOR, about: boundTo(step.id, { flow: here.flow, key: here.about.key }) });
      here.note('told');
    }
    return { to: 'next' };
  },
  fresh: (id) => ({ id, kind: 'note', name: 'Tell a colleague', to: { email: 'team@example.com' }, text: '' }),
  says: (step) => `Note “${step.name}”`,
  saysNext: (step) => `Note “${step.name}”`,
  check(step, add) {
    const problem = placeholderProblem(step.text);
    if (problem) add('placeholder-unreadable', 'stops', `In “${step.name}” ${problem}`, 'Correct or remove the placeholder.');
    if (!step.text.trim()) add('no-text', 'stops', `“${step.name}” is empty`, 'Write what your colleague is to know.');
    if (('email' in step.to && step.to.email.endsWith('@example.com')) || ('chat' in step.to && step.to.chat.includes('//example.com/')))
      add('address-missing', 'stops', `“${step.name}” still goes to example.com`, 'Write the address that it is to go to.');
    if ('chat' in step.to && step.to.chat.startsWith('http://') && !/^http:\/\/(localhost|127\.0\.0\.1)[:/]/.test(step.to.chat))
      add(
        'without-encryption',
        'warns',
        `“${step.name}” calls an address without encryption`,
        'Use one that begins with https://, or what it tells can be read on the way.',
      );
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.text === was.text ? [] : [`“${is.name}”: what it says has changed`]),
    ...(JSON.stringify(is.to) === JSON.stringify(was.to)
      ? []
      : [`“${is.name}” goes to ${sayNoteTo(is.to)} instead of ${sayNoteTo(was.to)}`]),
  ],
};

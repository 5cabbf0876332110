import * as z from 'zod';
import { bodyProblem } from '../../messages';
import type { Value } from '../../rules';
import { approximateMs, HOUR, MINUTE, sayDuration } from '../../time';
import type { Arm } from '../document';
import { name, stepId } from '../parts';
import { askAndWait, askingArms, askingShape, askingSpan, awaitedOf, boundTo, type Asking } from './asked';
import type { StepKind } from './kind';

/** What came of a call: told as an event of whoever it was made for. */
export const CALL_ENDED = 'call.ended';

/** Calls an address outside with a signed body, and goes on with what it answers. */
export interface CallStep extends Asking {
  id: string;
  kind: 'call';
  name: string;
  url: string;
  /** JSON; the texts in it may hold placeholders, and one that is nothing but a placeholder becomes the value itself */
  body: string;
}

const LONGEST_BODY = 8_000;

export const callSchema = (arm: z.ZodType<Arm>) =>
  z.strictObject({
    id: stepId,
    kind: z.literal('call'),
    name,
    url: z
      .url({ protocol: /^https?$/, message: 'is no address; write one that begins with https://' })
      .max(2000)
      .refine((url) => !URL.canParse(url) || !new URL(url).username, 'must not hold a name or a password'),
    body: z.string().max(LONGEST_BODY, `must have at most ${LONGEST_BODY} characters`),
    ...askingShape(arm),
  });

const isObject = (value: unknown): value is { readonly [name: string]: Value } =>
  value !== null && typeof value === 'object' && !Array.isArray(value);

export const callKind: StepKind<CallStep> = {
  actsOnce: true,
  run: (step, here) =>
    askAndWait(step, here, {
      event: CALL_ENDED,
      deed: { kind: 'call', within: step.within, about: boundTo(step.id, { flow: here.flow, key: here.about.key }) },
      read: ({ properties }) => ({
        isGood: properties.ok === true,
        ...(typeof properties.because === 'string' && { because: properties.because }),
        data: { ...(isObject(properties.answer) ? properties.answer : {}), status: properties.status ?? null },
      }),
    }),
  fresh: (id) => ({
    id,
    kind: 'call',
    name: 'Tell our system',
    url: 'https://example.com/hook',
    body: '{ "person": "{{ person.email }}" }',
    within: 'PT1H',
  }),
  says: (step) => `Call “${step.name}”`,
  saysNext: (step) => `Call “${step.name}”`,
  awaits: (step, of) => awaitedOf(CALL_ENDED, step.id, of),
  ...askingArms,
  withArms: (step, arms) => (step.arms ? { ...step, arms: [...arms] } : step),
  span: askingSpan,
  actsFirst: true,
  check(step, add) {
    const problem = bodyProblem(step.body);
    if (problem)
      add(
        'body-unreadable',
        'stops',
        `The body of “${step.name}” cannot be sent: ${problem}`,
        'Write JSON, with placeholders inside of its texts.',
      );
    if (step.url.startsWith('http://') && !/^http:\/\/(localhost|127\.0\.0\.1)[:/]/.test(step.url))
      add(
        'without-encryption',
        'warns',
        `“${step.name}” calls an address without encryption`,
        'Use one that begins with https://, or what it tells can be read on the way.',
      );
    if (step.url.includes('//example.com/'))
      add('address-missing', 'stops', `“${step.name}” still calls example.com`, 'Write the address that is to be called.');
    if (approximateMs(step.within) < MINUTE)
      add(
        'time-short',
        'warns',
        `“${step.name}” has only ${sayDuration(step.within)} for its answer`,
        'A server that is away for a moment needs some minutes; give it an hour.',
      );
    if (approximateMs(step.within) > 72 * HOUR)
      add(
        'time-long',
        'warns',
        `“${step.name}” holds people for up to ${sayDuration(step.within)}`,
        'Nobody goes on before the answer; a shorter time lets the others pass.',
      );
  },
  differs: (was, is) => [
    ...(is.name === was.name ? [] : [`“${was.name}” is now called “${is.name}”`]),
    ...(is.url === was.url ? [] : [`“${is.name}” calls ${is.url} instead of ${was.url}`]),
    ...(is.body === was.body ? [] : [`“${is.name}”: what it tells has changed`]),
    ...(is.within === was.within
      ? []
      : [`“${is.name}” waits ${sayDuration(is.within)} for its answer instead of ${sayDuration(was.within)}`]),
  ],
};

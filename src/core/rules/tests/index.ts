import { z } from 'zod';
import { answerKind, answerSchema } from './answer';
import { attributeKind, attributeSchema } from './attribute';
import { consentKind, consentSchema } from './consent';
import { dateKind, dateSchema } from './date';
import { eventKind, eventSchema } from './event';
import type { TestKind } from './kind';
import { listKind, listSchema } from './list';
import { segmentKind, segmentTestSchema } from './segment';
import { tagKind, tagSchema } from './tag';
import { totalKind, totalSchema } from './total';
import { triggerKind, triggerSchema } from './trigger';

export { MOST_ADDED } from './total';
export { sayDays } from './date';
export { rangeOf, type SeenEvents, type Times } from './event';

export const testSchema = z.union([
  attributeSchema,
  triggerSchema,
  answerSchema,
  dateSchema,
  consentSchema,
  listSchema,
  segmentTestSchema,
  tagSchema,
  eventSchema,
  totalSchema,
]);
/** One test of a rule. */
export type Test = z.infer<typeof testSchema>;

const KINDS: { readonly [K in Test['test']]: TestKind<Extract<Test, { test: K }>> } = {
  attribute: attributeKind,
  trigger: triggerKind,
  answer: answerKind,
  date: dateKind,
  consent: consentKind,
  list: listKind,
  segment: segmentKind,
  tag: tagKind,
  did: eventKind as TestKind<Extract<Test, { test: 'did' }>>,
  total: totalKind,
  didNot: eventKind as TestKind<Extract<Test, { test: 'didNot' }>>,
};

/** What there is to know of a test, by its kind. */
export const kindOfTest = (test: Test): TestKind<Test> => KINDS[test.test] as TestKind<Test>;

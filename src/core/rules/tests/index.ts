import * as z from 'zod';
import { ageKind, ageSchema } from './age';
import { changedKind, changedSchema } from './changed';
import { clockKind, clockSchema } from './clock';
import { countryKind, countrySchema } from './country';
import { flowKind, flowSchema } from './flow';
import { nearKind, nearSchema } from './near';
import { ordersKind, ordersSchema } from './orders';
import { predictedKind, predictedSchema } from './predicted';
import { reachKind, reachSchema } from './reach';
import { saidKind, saidSchema } from './said';
import { topicKind, topicSchema } from './topic';
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
import { trackingKind, trackingSchema } from './tracking';
import { triggerKind, triggerSchema } from './trigger';

export { MOST_ADDED } from './counted';
export { sayDays } from './date';
export { asEvents, FLOW_ENTERED, FLOW_HANDED, FLOW_LEFT, FLOW_OUTCOMES } from './flow';
export { PREDICTED, PREDICTIONS } from './predicted';
export { REACH_STATES, sayReachState } from './reach';
export { isCloser, typesOf, type Closer, type Then } from './closer';
export type { OrdersTest } from './orders';
export { segmentKey } from './segment';
export { isTracked, NO_WORDS, TRACKING, YES_WORDS } from './tracking';
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
  ageSchema,
  changedSchema,
  clockSchema,
  countrySchema,
  flowSchema,
  nearSchema,
  ordersSchema,
  predictedSchema,
  reachSchema,
  saidSchema,
  topicSchema,
  trackingSchema,
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
  age: ageKind,
  changed: changedKind,
  clock: clockKind,
  country: countryKind,
  flow: flowKind,
  near: nearKind,
  orders: ordersKind,
  predicted: predictedKind,
  reach: reachKind,
  said: saidKind,
  topic: topicKind,
  tracking: trackingKind,
  didNot: eventKind as TestKind<Extract<Test, { test: 'didNot' }>>,
};

/** What there is to know of a test, by its kind. */
export const kindOfTest = (test: Test): TestKind<Test> => KINDS[test.test] as TestKind<Test>;

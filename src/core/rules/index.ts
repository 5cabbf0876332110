export { durationSchema, eventTypeSchema, outermost, propertyName, type Value } from './value';
export { compare, isKnown, type Comparison, type PropertyTest, type WhereTest } from './compare';
export * from './rule';
export {
  asEvents,
  FLOW_ENTERED,
  FLOW_HANDED,
  FLOW_LEFT,
  FLOW_OUTCOMES,
  isCloser,
  isTracked,
  kindOfTest,
  MOST_ADDED,
  NO_WORDS,
  PREDICTED,
  PREDICTIONS,
  rangeOf,
  REACH_STATES,
  sayDays,
  sayReachState,
  segmentKey,
  TRACKING,
  typesOf,
  YES_WORDS,
  type Closer,
  type OrdersTest,
  type SeenEvents,
  type Test,
  type Then,
  type Times,
} from './tests';
export * from './named';
export * from './order';
export * from './world';
export { type Hours, type Since, hoursSchema, isWithin, nextWithin, sayHours, spanOf } from './when';
export * from './channel';
export * from './facts';
export * from './events';
export * from './edit';
export * from './look';
export * from './evaluate';
export * from './sentence';
export * from './suggest';
export { sayComparison, sayDay, sayDone, sayEvent, sayName, sayEventOf, sayTriggerProperty, sayValue } from './wording';
export * from './needs';
export * from './changes';

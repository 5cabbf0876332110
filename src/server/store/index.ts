export { advanceClock } from './clock';
export { Taken, withFreeKey } from './freekey';
export {
  addSuppressions,
  boxOf,
  checkoutBox,
  dropView,
  keepView,
  lift,
  saveCheckoutBox,
  storeTopics,
  suppressions,
  topics,
  views,
} from './settings';
export { forget, storeSettings, writeKept, writeStore } from './kept';

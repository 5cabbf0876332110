export {
  createStore,
  holdClock,
  moveClockTo,
  type PublishedFlow,
  readStore,
  readStoreAndFlows,
  recordAct,
  type Store,
  type StoreNow,
} from './store';
export { hasHolidays, publicHolidays } from './limits';
export { changeWorld } from './world';

export {
  createStore,
  holdClock,
  moveClockTo,
  type PublishedFlow,
  readStore,
  readStoreAndFlows,
  recordAct,
  saveStore,
  type Store,
  type StoreNow,
} from './store';
export { hasHolidays, publicHolidays } from './limits';
export { changeWorld } from './world';

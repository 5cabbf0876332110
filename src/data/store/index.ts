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
export { changeWorld } from './world';

export { createStore, holdClock, moveClockTo, type PublishedFlow, readStore, readStoreAndFlows, recordAct, type Store } from './store';

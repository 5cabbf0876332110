export { foldOrder, ORDER_EVENTS, type Order } from '../rules';
export * from './erased';
export * from './ledger';
export * from './ownership';

export { foldOrder, ORDER_EVENTS, type Order } from '../rules';
export * from './ledger';

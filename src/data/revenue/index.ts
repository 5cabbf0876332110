export { clearOrders, type OrderCredits, ownersOf, replaceCredits, saveOrders, saveStanding, withOrdersAfter } from './revenue';
export * from './ledger';
export * from './proof';
export * from './carts';
export * from './buying';
export * from './again';
export * from './sums';

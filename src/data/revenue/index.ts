export { clearOrders, type OrderCredits, replaceCredits, saveOrders, saveStanding, withOrdersAfter } from './revenue';
export * from './ledger';
export * from './erasedId';
export * from './orderOwners';
export * from './proof';
export * from './carts';
export * from './buying';
export * from './again';
export * from './sums';

export {
  clearOrders,
  creditedBySource,
  type OrderCredits,
  ownersOf,
  replaceCredits,
  revenueByDay,
  revenueTotals,
  saveOrders,
  saveStanding,
  withOrdersAfter,
} from './revenue';
export * from './ledger';
export * from './proof';
export * from './carts';
export * from './buying';

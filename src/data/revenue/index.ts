export {
  clearOrders,
  creditedBySource,
  otherCurrencies,
  type OtherDayRow,
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
export * from './again';

export {
  clearOrders,
  creditedBySource,
  ledger,
  type OrderCredits,
  ownersOf,
  replaceCredits,
  revenueByDay,
  revenueTotals,
  saveOrders,
  saveStanding,
  withOrdersAfter,
} from './revenue';

export { again } from './again';
export { checkLedger, checkNightly, goOnRebuilding, keepSums, ledgerStanding, revenueSettings, writeRevenueSettings } from './counting';
export { ledgerPage } from './ledger';
export { orderCredits } from './order';
export { revenueReport, splitOfReport } from './report';
export { flowLift, lifts, testView, testViews } from './proof';
export { cartsPage, cartsReport, recoveryFalls } from './carts';
export { cohorts, forward, keepPredictions, predictions } from './people';

export { ledgerPage } from './ledger';
export { revenueReport } from './report';

export * from './order';
export * from './ledger';

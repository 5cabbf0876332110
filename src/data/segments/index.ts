export * from './build';
export * from './segments';

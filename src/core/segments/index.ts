export * from './segment';
export * from './ready';

export * from './mapping';
export * from './path';

export * from './mapping';
export * from './path';
export * from './site';
export * from './scope';

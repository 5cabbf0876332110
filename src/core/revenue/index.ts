export * from './booking';
export * from './credit';
export * from './lift';
export * from './settings';
export * from './splits';

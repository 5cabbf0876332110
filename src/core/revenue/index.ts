export * from './booking';
export * from './credit';
export * from './settings';

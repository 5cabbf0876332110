export * from './message';
export * from './personalise';
export * from './render';

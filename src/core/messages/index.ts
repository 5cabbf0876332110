export * from './message';
export * from './personalise';
export * from './render';
export * from './people';

export * from './message';
export * from './personalise';
export * from './body';
export * from './render';
export * from './people';
export * from './personal';
export * from './sms';

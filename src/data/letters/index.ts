export * from './brands';
export * from './library';
export * from './feeds';
export * from './relations';
export * from './samples';
export * from './senders';
export * from './warmups';

export * from './person';
export * from './identity';
export * from './mailbox';
export * from './phone';
export * from './attributes';
export * from './country';
export * from './consent';
export * from './spelling';

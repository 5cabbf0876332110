export * from './views';
export * from './people';
export * from './data';
export * from './inputs';
export * from './problems';

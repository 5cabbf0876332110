export * from './views';
export * from './people';
export * from './segments';
export * from './data';
export * from './inputs';
export * from './problems';
export * from './places';

export * from './views';
export * from './people';
export * from './data';

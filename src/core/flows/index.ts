export * from './document';
export * from './plan';
export * from './run';
export * from './start';
export * from './advance';
export * from './layout';
export * from './preflight';
export * from './diff';

export * from './country';
export * from './distance';
export * from './groups';

export * from './account';
export * from './brake';
export * from './passwords';
export * from './screen';
export * from './session';

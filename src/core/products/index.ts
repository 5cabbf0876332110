export * from './product';
export * from './record';

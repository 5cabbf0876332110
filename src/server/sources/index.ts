export * from './manage';
export * from './webhook';
export * from './page';
export * from './proof';

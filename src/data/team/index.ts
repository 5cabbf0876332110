export * from './team';
export * from './acts';

export * from './team';
export * from './acts';
export * from './passkeys';

export * from './plan';
export * from './rows';
export * from './sniff';
export * from './formula';

export * from './rule';
export * from './channel';
export * from './facts';
export * from './compare';
export * from './evaluate';
export * from './sentence';
export * from './depends';

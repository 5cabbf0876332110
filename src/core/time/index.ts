export * from './day';
export * from './duration';
export * from './zone';
export * from './earliest';
export * from './recurrence';
export * from './sensible';

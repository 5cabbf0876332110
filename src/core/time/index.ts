export * from './duration';
export * from './zone';

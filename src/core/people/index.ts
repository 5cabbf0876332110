export * from './person';

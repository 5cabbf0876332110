export * from './places';

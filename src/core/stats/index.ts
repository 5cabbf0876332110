export * from './proportions';

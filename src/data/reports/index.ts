export * from './reports';

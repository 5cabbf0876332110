export * from './form';

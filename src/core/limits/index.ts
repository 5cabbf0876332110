export * from './limits';

export * from './today';

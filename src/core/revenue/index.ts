export * from './credit';

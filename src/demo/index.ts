export * from './flows';
export * from './history';

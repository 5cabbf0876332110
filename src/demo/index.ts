export * from './broadcasts';
export * from './flows';
export * from './history';
export * from './letters';

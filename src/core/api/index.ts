export type * from './views';

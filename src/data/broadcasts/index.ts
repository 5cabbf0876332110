export * from './broadcasts';
export * from './reach';
export * from './report';

export * from './next';
export * from './picture';
export * from './report';
export * from './say';

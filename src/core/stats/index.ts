export * from './buying';
export * from './proportions';
export * from './survival';
export * from './tests';

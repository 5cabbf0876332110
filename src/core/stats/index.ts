export * from './anytime';
export * from './buying';
export * from './lot';
export * from './proportions';
export * from './survival';
export * from './tests';

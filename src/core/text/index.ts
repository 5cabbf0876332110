export * from './text';
export * from './name';
export * from './html';

export * from './text';
export * from './name';

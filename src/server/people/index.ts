export * from './who';
export * from './person';
export * from './story';
export * from './directory';
export * from './edit';
export * from './merges';
export * from './why';

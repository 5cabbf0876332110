export * from './rehearse';
export * from './replay';

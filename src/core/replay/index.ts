export * from './backtest';
export * from './rehearse';
export * from './replay';

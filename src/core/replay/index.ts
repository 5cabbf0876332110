export * from './backtest';
export * from './checks';
export * from './rehearse';
export * from './replay';

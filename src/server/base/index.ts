export { database, reportsDatabase } from './database';
export { type Env, env } from './env';
export { log } from './log';
export { startTraces } from './traces';
export { gather, TooMuch } from './gather';

export { database, reportsDatabase } from './database';
export { type Env, env } from './env';
export { log } from './log';
export { gather, TooMuch } from './gather';

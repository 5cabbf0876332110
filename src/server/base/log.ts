import pino from 'pino';

/** Logs as JSON lines to standard error. Ids only: never an address, a name or a message's text. */
export const log = pino({ level: process.env.VIATIC_LOG ?? 'info', base: null }, pino.destination(2));

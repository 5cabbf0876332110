import { SMTPServer } from 'smtp-server';

/** A mail server that takes every mail and forgets it: what handing over is measured against. */
const server = new SMTPServer({
  authOptional: true,
  disabledCommands: ['STARTTLS', 'AUTH'],
  logger: false,
  onData(stream, _session, done) {
    stream.on('end', () => done());
    stream.resume();
  },
});
server.on('error', () => undefined);
server.listen(Number(process.env.BENCH_SINK_PORT), '127.0.0.1', () => process.send?.('ready'));

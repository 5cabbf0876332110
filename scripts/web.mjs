// The web program: the built application behind our own front door. Ends on SIGTERM and SIGINT when what is in hand is answered.
import next from 'next';

const { listen } = await import(process.env.VIATIC_DOOR);
const port = Number(process.env.PORT);
const app = next({ dev: false, hostname: '127.0.0.1', port });
await app.prepare();
const { server, end } = await listen(app.getRequestHandler(), port);
process.send?.('ready');

let isStopping = false;
for (const signal of ['SIGTERM', 'SIGINT']) {
  process.on(signal, () => {
    if (isStopping) return;
    isStopping = true;
    server.close(() => void end().finally(() => process.exit(0)));
    server.closeIdleConnections();
    // whoever still reads or sends after this has had their time
    setTimeout(() => process.exit(0), 8000).unref();
  });
}

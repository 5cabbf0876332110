import { createServer, type Server } from 'node:http';
import { env, startTraces } from '../base';
import { front, type Listener } from './front';

/**
 * Listens on loopback with the application behind the front door. Connections of senders are kept for a while. `end` hands over what
 * is still to be told, once all is answered.
 */
export async function listen(pass: Listener, port: number, hostname = '127.0.0.1'): Promise<{ server: Server; end: () => Promise<void> }> {
  const endTraces = await startTraces('web');
  const { proxies, url } = env();
  const server = createServer(front(pass, { proxies, isSecure: url.startsWith('https:') }) as Listener as never);
  server.keepAliveTimeout = 65_000;
  server.headersTimeout = 70_000;
  return new Promise((done, fail) => {
    server.once('error', fail);
    server.listen(port, hostname, () => done({ server, end: endTraces }));
  });
}

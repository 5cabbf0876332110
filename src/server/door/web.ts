import { createServer, type Server } from 'node:http';
import { env } from '../base';
import { front, type Listener } from './front';

/** Listens on loopback with the application behind the front door. Connections of senders are kept for a while. */
export function listen(pass: Listener, port: number, hostname = '127.0.0.1'): Promise<Server> {
  const { proxies, url } = env();
  const server = createServer(front(pass, { proxies, isSecure: url.startsWith('https:') }) as Listener as never);
  server.keepAliveTimeout = 65_000;
  server.headersTimeout = 70_000;
  return new Promise((done, fail) => {
    server.once('error', fail);
    server.listen(port, hostname, () => done(server));
  });
}

import { createServer } from 'node:http';
import { connect } from '../src/data/db';
import { insertRaw, type BenchEvent } from './events';

/** The least that an HTTP door can do: read the body, insert the rows as they are. What ingest over HTTP is measured against. */
const db = connect(process.env.VIATIC_DATABASE_URL!, 10);
const server = createServer((request, response) => {
  const parts: Buffer[] = [];
  request.on('data', (part: Buffer) => parts.push(part));
  request.on('end', () => {
    const batch = JSON.parse(Buffer.concat(parts).toString()) as BenchEvent[];
    insertRaw(db, batch).then(
      () =>
        response
          .writeHead(202, { 'content-type': 'application/json' })
          .end(JSON.stringify({ accepted: batch.length, duplicates: 0, rejected: [] })),
      (error: Error) => response.writeHead(500).end(error.message),
    );
  });
});
// as long as the application keeps its connections
server.keepAliveTimeout = 65_000;
server.listen(Number(process.env.BENCH_DOOR_PORT), '127.0.0.1', () => process.send?.('ready'));

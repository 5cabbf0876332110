import { createSocket } from 'node:dgram';
import { AUTHORITATIVE_ANSWER, decode, encode, type Packet } from 'dns-packet';
import { openJournal } from './journal';
import { escape, page, type Answer, type Asked } from './page';

interface TextRecord {
  readonly name: string;
  readonly text: string;
  /** taken out again: it is no more */
  readonly isGone?: boolean;
}

/** A text longer than 255 bytes stands in a TXT record as several strings (RFC 1035 §3.3.14). */
const stringsOf = (text: string): string[] => text.match(/.{1,255}/gs) ?? [''];
const NO_SUCH_NAME = 3;

/**
 * The name server of the world's domains (RFC 1035, over UDP): it knows TXT records, and its page lets whoever owns a domain add some
 * and take them out.
 */
export function openNames({
  folder,
  dnsPort = 0,
  dnsRecords = [],
}: {
  readonly folder: string;
  readonly dnsPort?: number;
  readonly dnsRecords?: readonly TextRecord[];
}): { page(asked: Asked): Answer; close(): void; readonly port: () => number } {
  const written = openJournal<TextRecord>(`${folder}/dns.ndjson`);
  const records = (): TextRecord[] => {
    const all: TextRecord[] = [];
    for (const one of [...dnsRecords, ...written.entries]) {
      const at = all.findIndex(({ name, text }) => name === one.name && text === one.text);
      if (one.isGone && at >= 0) all.splice(at, 1);
      if (!one.isGone && at < 0) all.push(one);
    }
    return all;
  };

  const socket = createSocket('udp4');
  socket.on('message', (message, from) => {
    let asked: Packet;
    try {
      asked = decode(message);
    } catch {
      return;
    }
    const [question] = asked.questions ?? [];
    if (!question) return;
    const here = records().filter(({ name }) => name === question.name.toLowerCase());
    const answers =
      question.type === 'TXT' ? here.map(({ text }) => ({ type: 'TXT' as const, name: question.name, ttl: 0, data: stringsOf(text) })) : [];
    const answer = encode({
      type: 'response',
      ...(asked.id !== undefined && { id: asked.id }),
      flags: AUTHORITATIVE_ANSWER | (here.length ? 0 : NO_SUCH_NAME),
      questions: [question],
      answers,
    });
    socket.send(answer, from.port, from.address);
  });
  // a port that is taken leaves the other stand-ins standing
  socket.on('error', (error) => process.stderr.write(`name server: ${error.message}\n`));
  socket.bind(dnsPort, '127.0.0.1');

  return {
    port: () => socket.address().port,
    close: () => void socket.close(),
    page(asked) {
      if (asked.method === 'POST') {
        const of = (name: string) => (asked.form.get(name) ?? '').trim().slice(0, 2000);
        const one = { name: of('name').toLowerCase().replace(/\.$/, ''), text: of('text') };
        if (one.name && one.text) written.add(asked.form.has('remove') ? { ...one, isGone: true } : one);
        return { status: 303, location: '/outside/dns' };
      }
      const rows = records()
        .map(
          ({ name, text }) =>
            `<tr><td style="white-space:nowrap">${escape(name)}</td><td style="word-break:break-all">${escape(text)}</td>` +
            `<td><form method="post"><input type="hidden" name="name" value="${escape(name)}">` +
            `<input type="hidden" name="text" value="${escape(text)}">` +
            `<button name="remove" value="1" class="plain" aria-label="Remove ${escape(name)}">Remove</button></form></td></tr>`,
        )
        .join('');
      return {
        status: 200,
        body: page(
          'Name server',
          `<h1>Name server</h1><p>TXT records of everybody’s domains.</p><table>${rows}</table>` +
            `<h2>Add a record</h2><form method="post" class="checkout"><label>Name <input name="name" required></label>` +
            `<label>Text <input name="text" required></label><button>Add</button></form>`,
          0,
        ),
      };
    },
  };
}

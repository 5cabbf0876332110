import http from 'node:http';
import https from 'node:https';
import { useAgent as filteringAgent } from 'request-filtering-agent';
import { formsOf, sayStep, stepsOf, type Finding, type FlowDocument } from '@/core/flows';
import { blocksOf, textsOf, textsOfBlock } from '@/core/messages';

/** How long one address may take, how many are asked of one flow, and for how long an answer is taken to hold. */
const LONGEST_MS = 3_000;
const MOST_ASKED = 20;
const HOLDS_MS = 10 * 60_000;
const MOST_KNOWN = 1_000;

/** Names that nobody can have (RFC 2606, RFC 6761): they stand for others in examples. */
const NOBODYS = /(^|\.)(example|test|invalid|localhost|example\.(com|net|org))$/i;
const ADDRESS = /https?:\/\/[^\s<>"{}]+[^\s<>"{}.,;:!?)\]]/g;

const known = new Map<string, { readonly at: number; readonly says: Promise<string | null> }>();

/** What is wrong with an address, in words; null where it answers, or where it is none of those that are asked. */
function problemOf(url: string, inside: readonly string[]): Promise<string | null> {
  const target = new URL(url);
  const isInside = inside.includes(target.host);
  if (NOBODYS.test(target.hostname) && !isInside) return Promise.resolve(null);
  const before = known.get(url);
  if (before && Date.now() - before.at < HOLDS_MS) return before.says;
  if (known.size >= MOST_KNOWN) known.clear();
  const says = ask(target, isInside);
  known.set(url, { at: Date.now(), says });
  return says;
}

function ask(target: URL, isInside: boolean): Promise<string | null> {
  return new Promise((resolve) => {
    const request = (target.protocol === 'https:' ? https : http).request(target, {
      method: 'HEAD',
      headers: { 'user-agent': 'Viatic' },
      ...(!isInside && { agent: filteringAgent(target.href) }),
    });
    const end = (says: string | null) => {
      clearTimeout(timer);
      request.destroy();
      resolve(says);
    };
    const timer = setTimeout(() => end(`does not answer within ${LONGEST_MS / 1000} seconds`), LONGEST_MS);
    request.on('response', ({ statusCode = 0 }) =>
      end(statusCode === 404 || statusCode === 410 || statusCode >= 500 ? `answers ${statusCode}` : null),
    );
    request.on('error', (error) => {
      // what lies on the inside of our network is not ours to judge
      if (/is not allowed/.test(error.message)) return end(null);
      const { code } = error as { code?: string };
      end(code === 'ENOTFOUND' || code === 'EAI_AGAIN' ? 'has a name that is not known' : 'takes no connection');
    });
    request.end();
  });
}

/** Links of a flow's messages that lead to where nothing answers: each is asked once in ten minutes, for its head alone. */
export async function linksThatFail(flow: FlowDocument, inside: readonly string[] = []): Promise<Finding[]> {
  const places = new Map<string, { stepId: string; says: string }>();
  for (const step of stepsOf(flow)) {
    if (step.kind !== 'send' || step.off) continue;
    for (const { name, message } of formsOf(step)) {
      const buttons = blocksOf(message).flatMap(textsOfBlock);
      const written = [...textsOf(message), ...buttons].filter((text) => !/\{[{%]/.test(text)).flatMap((text) => text.match(ADDRESS) ?? []);
      for (const url of written)
        if (URL.canParse(url) && !places.has(url) && places.size < MOST_ASKED)
          places.set(url, { stepId: step.id, says: name || sayStep(step) });
    }
  }
  const found = await Promise.all([...places].map(async ([url, place]) => ({ url, place, problem: await problemOf(url, inside) })));
  return found.flatMap(({ url, place, problem }) =>
    problem === null
      ? []
      : [
          {
            code: 'link-not-answering',
            level: 'warns' as const,
            stepId: place.stepId,
            says: `A link in “${place.says}” leads to ${url.slice(0, 120)}, which ${problem}`,
            mend: 'Open it yourself, and correct the address where it is wrong.',
          },
        ],
  );
}

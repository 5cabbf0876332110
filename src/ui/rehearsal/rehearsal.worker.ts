import { rehearsePerson, unpacked, type RehearsalFacts } from '@/core/rehearsal';
import type { RehearsalAnswer, RehearsalAsked } from './asked';

/** Rehearses beside the screen, by the core that runs flows for real. The facts of somebody are read once and kept. */
const known = new Map<string, RehearsalFacts>();

const factsOf = (id: string, from: unknown): RehearsalFacts => {
  const kept = known.get(id);
  if (kept && from === undefined) return kept;
  const facts = unpacked<RehearsalFacts>(from);
  known.set(id, facts);
  return facts;
};

self.addEventListener('message', ({ data }: MessageEvent<RehearsalAsked>) => {
  const answer: RehearsalAnswer = {
    number: data.number,
    people: data.people.map(({ id, one, facts }) => {
      try {
        const { store, onFile } = factsOf(id, facts);
        const came = rehearsePerson(data.key, data.document, one, store, one.person ? onFile : undefined);
        return 'problems' in came ? { id, problem: came.problems.map(({ field, wrong }) => `${field} ${wrong}`).join('. ') } : { id, came };
      } catch (error) {
        return { id, problem: (error as Error).message };
      }
    }),
  };
  self.postMessage(answer);
});

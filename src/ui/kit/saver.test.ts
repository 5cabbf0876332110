import { describe, expect, it } from 'vitest';
import { openSaver, type Saving } from './saver';

/** A store of one text with revisions, which answers when it is told to. */
function desk(problemsOf: (text: string) => { path: string; message: string }[] = () => []) {
  let revision = 1;
  const asked: { text: string; seen: number; answer: () => void; fail: (message: string) => void }[] = [];
  const states: Saving[] = [];
  const saver = openSaver<string>({
    document: 'a',
    revision: 1,
    problemsOf,
    isConflict: (error) => (error as Error).message === 'conflict',
    onState: (state) => states.push(state),
    put: (text, seen) =>
      new Promise((resolve, reject) => {
        asked.push({
          text,
          seen,
          answer: () => (seen === revision ? resolve({ revision: ++revision }) : reject(new Error('conflict'))),
          fail: (message) => reject(new Error(message)),
        });
      }),
  });
  return { saver, asked, states, last: () => states.at(-1)?.state };
}
const turn = () => new Promise((resolve) => setTimeout(resolve));

describe('saving by itself', () => {
  it('several who want to save at once are one request after the other: none conflicts with another', async () => {
    const { saver, asked, last } = desk();
    saver.note('ab');
    const first = saver.save();
    await turn();
    saver.note('abc');
    const others = [saver.save(), saver.save(), saver.save()];
    await turn();
    expect(asked.map((one) => one.text)).toEqual(['ab']);
    asked[0]!.answer();
    await turn();
    expect(asked.map(({ text, seen }) => [text, seen])).toEqual([
      ['ab', 1],
      ['abc', 2],
    ]);
    asked[1]!.answer();
    expect(await Promise.all([first, ...others])).toEqual([true, true, true, true]);
    expect(asked).toHaveLength(2);
    expect(last()).toBe('saved');
    expect(saver.isSaved).toBe(true);
  });

  it('what failed is never passed over: the answer is no, and what was typed is still to be saved', async () => {
    const { saver, asked, states } = desk();
    saver.note('ab');
    const answer = saver.save();
    await turn();
    asked[0]!.fail('no connection');
    expect(await answer).toBe(false);
    expect(saver.isSaved).toBe(false);
    expect(states.at(-1)).toEqual({ state: 'failed', message: 'no connection', isConflict: false });
    const again = saver.save();
    await turn();
    expect(asked[1]).toMatchObject({ text: 'ab', seen: 1 });
    asked[1]!.answer();
    expect(await again).toBe(true);
  });

  it('what is not sound is not sent, and is said with its place', async () => {
    const { saver, asked, states } = desk((text) => (text === '' ? [{ path: 'name', message: 'must not be empty' }] : []));
    saver.note('');
    expect(await saver.save()).toBe(false);
    expect(asked).toEqual([]);
    expect(states).toEqual([{ state: 'invalid', problems: [{ path: 'name', message: 'must not be empty' }] }]);
  });

  it('somebody else’s change is told as a conflict; taking it over begins from there', async () => {
    const { saver, asked, states } = desk();
    saver.take('theirs', 7);
    saver.note('mine');
    const answer = saver.save();
    await turn();
    expect(asked[0]!.seen).toBe(7);
    asked[0]!.answer();
    expect(await answer).toBe(false);
    expect(states.at(-1)).toMatchObject({ isConflict: true });
  });
});

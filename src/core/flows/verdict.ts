import { testVerdict } from '../revenue';

/** One way of a test: how many took it, and how many of them reached the goal. */
export interface Tried {
  readonly name: string;
  readonly people: number;
  readonly goal: number;
}

/** What the numbers of a test say, in words that hold however often they are looked at: nothing before each way has had enough people. */
export const sayVerdict = (ways: readonly Tried[]): string =>
  testVerdict(ways.map(({ name, people, goal }, at) => ({ id: String(at), name, share: people || 1, people, goals: goal }))).says;

import { ZxcvbnFactory } from '@zxcvbn-ts/core';
import { adjacencyGraphs, dictionary as common } from '@zxcvbn-ts/language-common';
import { dictionary as english } from '@zxcvbn-ts/language-en';

let judge: ZxcvbnFactory | null = null;
/** From 0 to 4; 3 holds against guessing where the hash is slow, as it is here. */
const LEAST = 3;
/** What is looked at: beyond it a password is long enough. */
const MOST = 100;

/** Why a password is too easily guessed, or null: common words and names, patterns, and what is known of the person. */
export function weakness(password: string, known: readonly string[]): string | null {
  judge ??= new ZxcvbnFactory({ dictionary: { ...common, ...english }, graphs: adjacencyGraphs });
  const { score } = judge.check(password.slice(0, MOST), [...known, 'viatic']);
  return score >= LEAST ? null : 'is too easily guessed: take a few words that have nothing to do with each other';
}

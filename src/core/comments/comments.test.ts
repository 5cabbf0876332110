import { describe, expect, it } from 'vitest';
import { commentChange, commentInput, mentionsIn, notifiedInput, notifiedOf } from '.';

const TEAM = ['Marla Quist', 'Ines Halm', 'Tom Brandt', 'Tom Brandtner'];

describe('who is named in a comment', () => {
  it.each([
    ['@Marla Quist, can you look?', ['Marla Quist']],
    ['what do you think, @ines?', ['Ines Halm']],
    ['@INES HALM and @marla', ['Ines Halm', 'Marla Quist']],
    // two have that first name: only whole names tell them apart, and the longer is not the shorter
    ['@tom', []],
    ['@Tom Brandtner!', ['Tom Brandtner']],
    ['@Tom Brandt.', ['Tom Brandt']],
    ['write to robin@ines.example', []],
    ['@inesse', []],
    ['nobody', []],
    ['@', []],
  ])('%s', (text, names) => {
    expect(mentionsIn(text, TEAM)).toEqual(names);
  });
});

it('says how each wants to hear, and refuses what is no comment', () => {
  expect(notifiedOf({})).toEqual({ mention: 'mail', comment: 'here', changed: 'here', asks: 'mail' });
  expect(notifiedOf({ mention: 'off' }).mention).toBe('off');
  expect(notifiedInput.safeParse({ mention: 'loudly' }).success).toBe(false);
  expect(commentInput.safeParse({ kind: 'flow', key: 'x', text: '   ' }).success).toBe(false);
  expect(commentInput.safeParse({ kind: 'person', key: 'x', text: 'a' }).success).toBe(false);
  expect(commentChange.safeParse({ isDone: true, text: 'a' }).success).toBe(false);
});

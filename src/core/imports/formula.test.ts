import { describe, expect, it } from 'vitest';
import { csvCell, defuse } from './formula';

describe('a cell that a spreadsheet would take for a formula', () => {
  // OWASP, CSV injection: = + - @, tab and carriage return; programs also cut white space off first and read full-width signs
  it.each([
    '=1',
    '+cmd',
    '-cmd',
    '@SUM(1)',
    '\t=1',
    '\r=1',
    '\n=1',
    ' =1',
    '\u00a0=1',
    '\u200b=1',
    '\ufeff=1',
    '＝1',
    '＋1+1',
    '＠SUM',
    '－1x',
    '−1x',
    '\n＝1',
  ])('%j gets an apostrophe', (text) => {
    expect(defuse(text)).toBe(`'${text}`);
    expect(csvCell(text).replace(/^"/, '')).toMatch(/^'/);
  });
  it.each(['', 'a', '-5', '+31612345678', '-1,234.50', '3=3', 'a@b', '1＝1', 'plain\n=1', '\u4e00'])('%j stays', (text) =>
    expect(defuse(text)).toBe(text),
  );
});

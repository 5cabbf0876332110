import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, it } from 'vitest';

const folder = join(import.meta.dirname, 'migrations');
/** From here on code of before works on beside that of after while a store is upgraded. */
const SINCE = 36;
/** What code that is still running would trip over: what it reads or writes is gone, is called otherwise, or must be said. */
const BREAKS: readonly (readonly [RegExp, string])[] = [
  [/\bdrop\s+(table|column|view)\b/i, 'drops what it reads'],
  [/\brename\s+(to|column)\b/i, 'renames what it reads'],
  [/\balter\s+column\s+\w+\s+(set\s+data\s+)?type\b/i, 'changes the type of what it reads'],
  [/\balter\s+column\s+\w+\s+set\s+not\s+null\b/i, 'asks for what it may leave out'],
  [/\badd\s+column\s+\w+\s+[^,;]*\bnot\s+null\b(?![^,;]*\bdefault\b)/i, 'asks for what it does not know'],
  [/\bcreate\s+index\s+(?!concurrently)[^;]*\bon\s+(events|sends|runs|people)\b/i, 'locks a large table for as long as it takes'],
];
const problemsOf = (sql: string): string[] => BREAKS.flatMap(([pattern, says]) => (pattern.test(sql) ? [says] : []));

describe('a migration leaves what code of before needs', () => {
  const late = readdirSync(folder).filter((name) => Number(name.slice(0, 3)) >= SINCE);
  it.each(late)('%s', (name) => {
    expect(problemsOf(readFileSync(join(folder, name), 'utf8'))).toEqual([]);
  });

  it.each([
    ['alter table lists drop column about', 'drops what it reads'],
    ['alter table lists rename column about to says', 'renames what it reads'],
    ['alter table lists alter column about type jsonb', 'changes the type of what it reads'],
    ['alter table lists add column x text not null', 'asks for what it does not know'],
    ['create index x on events (type)', 'locks a large table for as long as it takes'],
  ])('is seen: %s', (sql, says) => {
    expect(problemsOf(sql)).toEqual([says]);
  });
  it('is not seen where there is none', () => {
    for (const fine of [
      `alter table acts add column changes jsonb not null default '[]'`,
      'create index x on cards (key)',
      'drop trigger x on y',
    ])
      expect(problemsOf(fine)).toEqual([]);
  });
});

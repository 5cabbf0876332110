import { appendFileSync, existsSync, mkdirSync, readFileSync } from 'node:fs';
import { dirname } from 'node:path';

export interface Journal<T> {
  readonly entries: T[];
  add(entry: T): void;
}

/** Keeps entries in memory and on disk, a line each; a line cut short by a crash is left out when it is read again. */
export function openJournal<T>(file: string): Journal<T> {
  mkdirSync(dirname(file), { recursive: true });
  const entries: T[] = [];
  if (existsSync(file)) {
    for (const line of readFileSync(file, 'utf8').split('\n')) {
      if (!line) continue;
      try {
        entries.push(JSON.parse(line) as T);
      } catch {
        continue;
      }
    }
  }
  return {
    entries,
    add(entry) {
      appendFileSync(file, `${JSON.stringify(entry)}\n`);
      entries.push(entry);
    },
  };
}

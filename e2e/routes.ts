import { readFileSync } from 'node:fs';
import { globSync } from 'tinyglobby';

export type Method = 'GET' | 'POST' | 'PUT' | 'PATCH' | 'DELETE' | 'OPTIONS' | 'HEAD';
/** A route as it stands on the disk: its address with `{name}` for what stands for something, and what it answers to. */
export interface Route {
  readonly path: string;
  readonly methods: readonly Method[];
}

const addressOf = (file: string, leaf: RegExp): string =>
  file
    .replace(/^src\/app/, '')
    .replace(leaf, '')
    .replace(/\/\([^)]*\)/g, '')
    .replace(/\[(?:\.\.\.)?(\w+)\]/g, '{$1}') || '/';

/** Every route handler there is. */
export function routesOnDisk(): Route[] {
  return globSync('src/app/**/route.ts')
    .sort()
    .map((file) => {
      const text = readFileSync(file, 'utf8');
      const methods = [
        ...text.matchAll(/export const (GET|PUT|POST|PATCH|DELETE|OPTIONS) =/g),
        ...text.matchAll(/\w+ as (GET|PUT|POST|PATCH|DELETE|HEAD|OPTIONS)\b/g),
      ].map(([, method]) => method as Method);
      if (!methods.length) throw new Error(`${file} answers to nothing that this table can read`);
      return { path: addressOf(file, /\/route\.ts$/), methods };
    });
}

/** Every page there is. */
export const pagesOnDisk = (): string[] =>
  globSync('src/app/**/page.tsx')
    .sort()
    .map((file) => addressOf(file, /\/page\.tsx$/));

/** An address with something in place of each name. */
export const filled = (path: string, values: Readonly<Record<string, string>>, otherwise = 'x'): string =>
  path.replace(/\{(\w+)\}/g, (_, name: string) => values[name] ?? otherwise);

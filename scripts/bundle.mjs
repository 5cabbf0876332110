// Our programs as one file each, so that they start sooner than read file by file through a loader of TypeScript.
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, renameSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { basename, join, resolve } from 'node:path';
import { buildSync } from 'esbuild';

const root = resolve(import.meta.dirname, '..');
// within the packages, so that what stays outside of it is found from there
const folder = join(root, 'node_modules', '.viatic');
const OLD_MS = 24 * 3_600_000;

const { dependencies, devDependencies } = JSON.parse(readFileSync(join(root, 'package.json'), 'utf8'));
/** Packages are loaded as they are, but for one of which we read JSON, which modules do not import by themselves. */
const external = Object.keys({ ...dependencies, ...devDependencies }).filter((name) => name !== 'i18n-iso-countries');

/** A TypeScript program of ours as one file that Node runs; answers with where it is. Those who ask at once get the same. */
export function bundled(file) {
  const name = `${basename(file, '.ts')}.mjs`;
  const { outputFiles } = buildSync({
    absWorkingDir: root,
    entryPoints: [file],
    outfile: join(folder, name),
    bundle: true,
    platform: 'node',
    target: 'node20',
    format: 'esm',
    external,
    sourcemap: true,
    write: false,
    logLevel: 'error',
  });
  const digest = createHash('sha256');
  for (const { contents } of outputFiles) digest.update(contents);
  const own = join(folder, digest.digest('hex').slice(0, 16));
  if (!existsSync(own)) {
    const draft = `${own}.${process.pid}`;
    mkdirSync(draft, { recursive: true });
    for (const { path, contents } of outputFiles) writeFileSync(join(draft, basename(path)), contents);
    try {
      renameSync(draft, own);
    } catch {
      // somebody else was there first, with the same
      rmSync(draft, { recursive: true, force: true });
    }
    for (const other of readdirSync(folder).map((one) => join(folder, one)))
      if (other !== own && Date.now() - (statSync(other, { throwIfNoEntry: false })?.mtimeMs ?? Infinity) > OLD_MS)
        rmSync(other, { recursive: true, force: true });
  }
  return join(own, name);
}

import { stringify } from 'csv-stringify/sync';
import type { ActsView } from '@/core/api';
import type { Db } from '@/data/db';
import { actChoices, listActs, type ActRow } from '@/data/team';
import { readStore } from '@/data/store';
import { periodOf, Problem, wholeNumber } from '../http';

const MOST_IN_FILE = 50_000;

async function asked(db: Db, url: URL) {
  const text = (name: string) => url.searchParams.get(name)?.trim().slice(0, 120) || null;
  const before = text('before');
  if (before !== null && !/^\d{1,18}$/.test(before)) throw new Problem(400, 'Not a cursor', 'The cursor is not one of ours.');
  const isPeriod = url.searchParams.has('from') || url.searchParams.has('to');
  const period = isPeriod ? periodOf(url, await readStore(db)) : null;
  return { from: period?.from ?? null, to: period?.to ?? null, actor: text('actor'), what: text('what'), words: text('q'), before };
}

const itemOf = ({ id, at, actor, what, detail, changes }: ActRow) => ({ id, at: at.toISOString(), actor, what, detail, changes });

/** What was done here, newest first: a page of it, with who has done anything and the kinds there are. */
export async function acts(db: Db, url: URL): Promise<ActsView> {
  const limit = wholeNumber(url, 'limit', { least: 1, most: 200, otherwise: 50 });
  const [rows, choices] = await Promise.all([listActs(db, { ...(await asked(db, url)), limit: limit + 1 }), actChoices(db)]);
  const page = rows.slice(0, limit);
  return { acts: page.map(itemOf), next: rows.length > limit ? page.at(-1)!.id : null, ...choices };
}

/** The same as a file. */
export async function actsFile(db: Db, url: URL): Promise<string> {
  const rows = await listActs(db, { ...(await asked(db, url)), limit: MOST_IN_FILE });
  return stringify(
    rows.map(itemOf).map(({ at, actor, what, detail, changes }) => [at, actor, what, JSON.stringify(detail), JSON.stringify(changes)]),
    { header: true, columns: ['at', 'actor', 'what', 'detail', 'changes'], escape_formulas: true },
  );
}

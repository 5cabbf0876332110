import { brandInput, type BrandItem } from '@/core/api';
import { brandKey, brandSchema, plainBrand } from '@/core/messages';
import { inTransaction, type Db } from '@/data/db';
import { deleteBrand, findBrand, listBrands, saveBrand, type BrandRow } from '@/data/letters';
import { readStore, recordAct } from '@/data/store';
import { notFound, Problem, problemsOf } from '../http';

const itemOf = (row: BrandRow): BrandItem => ({
  key: row.key,
  brand: row.document,
  isFirst: row.is_first,
  changedAt: row.changed_at.toISOString(),
  changedBy: row.changed_by,
});

/** All brands; where none has been made, the plain one that letters are set in. */
export async function brands(db: Db): Promise<{ brands: BrandItem[] }> {
  const rows = await listBrands(db);
  if (rows.length) return { brands: rows.map(itemOf) };
  const { name } = await readStore(db);
  return { brands: [{ key: 'first', brand: plainBrand(name), isFirst: true, changedAt: null, changedBy: null }] };
}

export async function brand(db: Db, key: string): Promise<BrandItem> {
  const found = (await brands(db)).brands.find((one) => one.key === key);
  if (!found) throw notFound(`brand "${key.slice(0, 60)}"`);
  return found;
}

/** Stores a brand: every letter that is set in it looks so from now on, those that wait to go out too. */
export async function putBrand(db: Db, key: string, body: unknown, by: string): Promise<BrandItem> {
  if (!brandKey.safeParse(key).success)
    throw new Problem(400, 'Not a key', "A brand's key is made of a-z, 0-9 and -, at most 60 characters.");
  const parsed = brandInput.safeParse(body);
  const document = brandSchema.safeParse(parsed.success ? parsed.data.brand : null);
  if (!parsed.success) throw new Problem(422, 'Not a brand', 'Nothing was stored.', problemsOf(parsed.error));
  if (!document.success) throw new Problem(422, 'Not a brand', 'Nothing was stored.', problemsOf(document.error));
  await inTransaction(db, async (trx) => {
    const { now } = await readStore(trx);
    await saveBrand(trx, key, document.data, parsed.data.isFirst ?? false, by, now);
    await recordAct(trx, now, by, 'brand.stored', { key });
  });
  return brand(db, key);
}

/** Deletes a brand; letters that are set in it are set in the store's first from then on. That one stays. */
export async function removeBrand(db: Db, key: string, by: string): Promise<void> {
  await inTransaction(db, async (trx) => {
    const row = await findBrand(trx, key);
    if (!row) throw notFound(`brand "${key.slice(0, 60)}"`);
    if (!(await deleteBrand(trx, key)))
      throw new Problem(409, 'The first brand', 'Letters that name no brand are set in it. Make another the first, then delete this one.');
    await recordAct(trx, (await readStore(trx)).now, by, 'brand.deleted', { key, brand: row.document });
  });
}

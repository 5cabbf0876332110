import { textPricesInput, type TextPricesView } from '@/core/api';
import { readSetting, writeSetting } from '@/data/access';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { Problem, problemsOf } from '../http';

/** What one part of a text message costs, by country, in the store's currency. */
export async function textPrices(db: Db): Promise<TextPricesView> {
  const { currency } = await readStore(db);
  return { currency, prices: (await readSetting<TextPricesView['prices']>(db, 'text-prices')) ?? {} };
}

/** Stores what one part of a text message costs, by country; what is left out is not known. */
export async function putTextPrices(db: Db, body: unknown, by: string): Promise<TextPricesView> {
  const parsed = textPricesInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not prices', 'Nothing was stored.', problemsOf(parsed.error));
  await inTransaction(db, async (trx) => {
    await writeSetting(trx, 'text-prices', parsed.data.prices);
    await recordAct(trx, (await readStore(trx)).now, by, 'text-prices.stored', { prices: parsed.data.prices });
  });
  return textPrices(db);
}

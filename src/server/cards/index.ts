import type { CardsView } from '@/core/api';
import { CARD_OF, cardInput, type Card, type CardOf } from '@/core/cards';
import { listCards, lockCarded, putCard } from '@/data/cards';
import { inTransaction, type Db } from '@/data/db';
import { readStore, recordAct } from '@/data/store';
import { listMembers } from '@/data/team';
import { notFound, oneOf, Problem, problemsOf } from '../http';

/** What things of a kind are for, who looks after each, and whom and which tags one can choose from. */
export async function cards(db: Db, url: URL): Promise<CardsView> {
  const kind = oneOf(url, 'kind', CARD_OF);
  const [rows, members] = await Promise.all([listCards(db, kind), listMembers(db)]);
  return {
    cards: rows,
    team: members.map(({ name }) => name),
    tags: [...new Set(rows.flatMap(({ tags }) => tags))].sort((a, b) => a.localeCompare(b)),
  };
}

/** Writes what something is for, who looks after it, and its tags. */
export async function writeCard(db: Db, kind: string, key: string, body: unknown, by: string): Promise<Card> {
  const of = CARD_OF.find((one) => one === kind);
  const parsed = cardInput.safeParse(body);
  if (!parsed.success) throw new Problem(422, 'Not possible', 'Nothing was stored.', problemsOf(parsed.error));
  const card = parsed.data;
  await inTransaction(db, async (trx) => {
    if (!of || !(await lockCarded(trx, of, key))) throw notFound(`${sayKind(kind)} "${key.slice(0, 60)}"`);
    await putCard(trx, of, key, card);
    await recordAct(trx, (await readStore(trx)).now, by, 'card.written', { kind, key });
  });
  return card;
}

const sayKind = (kind: string): CardOf | 'thing' => CARD_OF.find((one) => one === kind) ?? 'thing';

import { answeredOf, effectName, planOf, type NoteStep } from '@/core/flows';
import { personalise, personalOf } from '@/core/messages';
import { valueAt } from '@/core/rules';
import { aboutAsk, askRow, closeAsk, lockAsk } from '@/data/asks';
import { inTransaction } from '@/data/db';
import { readVersion } from '@/data/flows';
import { readStore } from '@/data/store';
import { mailNotes, noteLetter, type Dispatch } from '../messages';
import { end, tryOnce } from './calls';

const LONGEST = 4_000;
const isAddress = (text: unknown): text is string => typeof text === 'string' && /^[^\s@]+@[^\s@]+\.[^\s@]+$/.test(text.trim());

/** What a colleague is written: what it says stands beside it, so that nothing in it is taken for a placeholder. */
const LETTER = noteLetter('{{ event.title }}', '{{ event.text }}', 'Open {{ event.person }}');

/**
 * Carries a note out: it goes to the colleague as a letter, or to a room of a chat as a signed POST of `{text}`, which is tried again
 * for a day. One that cannot be carried out is listed with the calls that have failed.
 */
export async function tellNote(context: Pick<Dispatch, 'db' | 'inside' | 'url'>, id: string): Promise<void> {
  const { db } = context;
  const ask = await askRow(db, id);
  if (!ask || ask.kind !== 'note' || ask.state !== 'open') return;
  const step = planOf(await readVersion(db, ask.flow_id, ask.version)).steps.get(ask.step_id);
  const about = await aboutAsk(db, ask);
  const fail = (because: string) => end(db, ask, { ok: false, status: null, because, canHelp: false });
  if (step?.kind !== 'note' || !about) return fail('its step or its person is gone');
  const store = await readStore(db);
  const personal = personalOf(about.attributes, about.about ?? {}, store, answeredOf(about.answers));
  let text: string;
  try {
    text = personalise(step.text, personal).trim().slice(0, LONGEST);
  } catch (error) {
    return fail(`cannot be put together: ${(error as Error).message.slice(0, 200)}`);
  }
  const page = `${context.url}/people/~${ask.person_id}`;
  if ('chat' in step.to) return tryOnce(context, ask, step.to.chat, JSON.stringify({ text: `${text}\n${page}` }), store.now);
  const address = addressFor(step, about.attributes);
  if (address === null) return fail(`there is no email address under ${'attribute' in step.to ? step.to.attribute : 'it'}`);
  await inTransaction(db, async (trx) => {
    const open = await lockAsk(trx, id);
    if (open?.state !== 'open') return;
    const by = effectName(ask.run_id, { stepId: ask.step_id, visit: ask.visit });
    const said = { title: step.name, text, person: nameOf(about.attributes), url: page };
    await mailNotes(trx, [{ to: address, message: LETTER, by, about: said }], store.now);
    await closeAsk(trx, id, { state: 'done', at: store.now, by: null, note: null, error: null });
  });
}

function addressFor({ to }: NoteStep, attributes: Parameters<typeof personalOf>[0]): string | null {
  const named = 'email' in to ? to.email : 'attribute' in to ? valueAt(attributes, to.attribute) : null;
  return isAddress(named) ? named.trim() : null;
}

const nameOf = ({ firstName, lastName, email }: Parameters<typeof personalOf>[0]): string =>
  [firstName, lastName].filter((one) => typeof one === 'string' && one).join(' ') || (typeof email === 'string' ? email : 'the person');

import type { FlowListView } from '@/core/api';
import { DAY } from '@/core/time';
import { preflight, sayTriggers, stepsOf } from '@/core/flows';
import type { Db } from '@/data/db';
import { listFlows, type FlowListRow } from '@/data/flows';
import { readStore } from '@/data/store';

/** Every flow with its figures of the last 30 days, in the store's currency; those that are put away, or all others. */
export async function listOfFlows(db: Db, isAway = false): Promise<FlowListView> {
  const store = await readStore(db);
  const rows = await listFlows(db, store.now, store.now - 30 * DAY, store.currency, store.zone, store.revenue.model, isAway);
  return {
    flows: rows.map((row) => ({
      key: row.key,
      name: row.name,
      state: row.state,
      version: row.version,
      trigger: sayTriggers((row.document ?? row.draft).triggers),
      description: row.draft.description ?? '',
      tags: row.draft.tags ?? [],
      owner: row.draft.owner ?? '',
      stage: row.draft.stage ?? null,
      hasChanges: row.document !== null && JSON.stringify(row.document) !== JSON.stringify(row.draft),
      inside: row.inside,
      sent24h: row.sent_24h,
      entered: row.entered,
      revenue: { currency: store.currency, minor: Number(row.credited_minor) },
      daily: row.daily,
      attention: attentionOf(row, store.now),
    })),
  };
}

/** After how many days without anybody a flow that is on is pointed out. */
const QUIET_DAYS = 14;
const many = (n: number, one: string, more: string) => `${n.toLocaleString('en-IE')} ${n === 1 ? one : more}`;

/** What about a flow wants to be looked at, as sentences. */
function attentionOf({ state, draft, document, inside, broken, last_entered, published_at }: FlowListRow, now: number): string[] {
  const says: string[] = [];
  if (broken) says.push(`${many(broken, 'run has broken and is', 'runs have broken and are')} set aside`);
  if (state === 'on' && document) {
    const since = Math.max(last_entered?.getTime() ?? 0, published_at?.getTime() ?? 0);
    const isOver = document.window?.to !== undefined && Date.parse(document.window.to) < now;
    if (isOver) says.push('On, and the days on which people enter are over');
    else if (now - since > QUIET_DAYS * DAY)
      says.push(`On, and nobody has entered for ${many(Math.floor((now - since) / DAY), 'day', 'days')}`);
    const off = stepsOf(document).filter((step) => step.kind === 'send' && step.off).length;
    if (off) says.push(`${many(off, 'message in it is', 'messages in it are')} switched off`);
  }
  if (state === 'paused' && inside) says.push(`Paused, and ${many(inside, 'person waits', 'people wait')} inside`);
  if (state === 'draft' && stepsOf(draft).some(({ kind }) => kind === 'send') && !preflight(draft).some(({ level }) => level === 'stops'))
    says.push('Nothing stops it, and it was never switched on');
  return says;
}

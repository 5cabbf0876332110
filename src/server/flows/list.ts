import type { FlowListView } from '@/core/api';
import { DAY } from '@/core/time';
import { sayTriggers } from '@/core/flows';
import { CREDIT_MODELS } from '@/core/revenue';
import type { Db } from '@/data/db';
import { listFlows } from '@/data/flows';
import { readStore } from '@/data/store';

/** Every flow with its figures of the last 30 days, in the store's currency; those that are put away, or all others. */
export async function listOfFlows(db: Db, isAway = false): Promise<FlowListView> {
  const store = await readStore(db);
  const rows = await listFlows(db, store.now, store.now - 30 * DAY, store.currency, store.zone, CREDIT_MODELS[0], isAway);
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
    })),
  };
}

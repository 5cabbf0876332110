import { sayTrace, type Said, type TraceWording } from '@/core/flows';
import type { Sql } from '@/data/db';
import { readVersion, type TraceRow } from '@/data/flows';

/** Puts entries of traces into words, each by the version of the flow that its run was on. Those of before traces were data carry their words. */
export async function sayTraces<T extends TraceRow & { readonly flowId: number }>(
  sql: Sql,
  wording: TraceWording,
  entries: readonly T[],
): Promise<(Omit<T, 'says' | 'because'> & Said)[]> {
  const said: (Omit<T, 'says' | 'because'> & Said)[] = [];
  for (const { says, because, ...entry } of entries) said.push({ ...entry, ...(await sayOne(sql, wording, { ...entry, says, because })) });
  return said;
}

async function sayOne(sql: Sql, wording: TraceWording, entry: TraceRow & { readonly flowId: number }): Promise<Said> {
  if (entry.says !== null || entry.version === null)
    return { says: entry.says ?? entry.kind, ...(entry.because && { because: entry.because }) };
  const document = await readVersion(sql, entry.flowId, entry.version);
  return sayTrace(
    {
      kind: entry.kind,
      stepId: entry.step_id,
      at: entry.at.getTime(),
      ...(entry.arm !== null && { armId: entry.arm }),
      ...(entry.saw && { saw: entry.saw }),
    },
    entry,
    document,
    wording,
  );
}

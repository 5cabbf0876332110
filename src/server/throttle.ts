const windows = new Map<string, { since: number; count: number }>();

/** Counts an attempt and says whether there have been more than `most` in the window. Kept by process: a brake, not a ledger. */
export function tooOften(key: string, most: number, windowMs: number, now = Date.now()): boolean {
  const known = windows.get(key);
  if (!known || now - known.since >= windowMs) {
    if (windows.size > 50_000) windows.clear();
    windows.set(key, { since: now, count: 1 });
    return most < 1;
  }
  known.count += 1;
  return known.count > most;
}

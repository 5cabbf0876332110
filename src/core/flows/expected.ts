/**
 * How many come in some days, judged by how many came on each of so many before (those with none left out): the mean, and twice the
 * standard deviation of such a sum to either side, about nineteen times in twenty (days taken to be independent of each other).
 */
export function expectedIn(counts: readonly number[], ofDays: number, days: number): { readonly least: number; readonly most: number } {
  const mean = counts.reduce((sum, n) => sum + n, 0) / ofDays;
  const squares = counts.reduce((sum, n) => sum + (n - mean) ** 2, 0) + (ofDays - counts.length) * mean ** 2;
  const spread = 2 * Math.sqrt((squares / (ofDays - 1)) * days);
  return { least: Math.max(0, Math.floor(mean * days - spread)), most: Math.ceil(mean * days + spread) };
}

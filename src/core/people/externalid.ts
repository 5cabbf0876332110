/**
 * What is wrong with a text as an external id, or null. An id stands in addresses: `.` and `..` cannot stand there
 * (RFC 3986 §5.2.4 takes them out), and one that begins with `~` would be mistaken for a number of ours.
 */
export function externalIdProblem(id: string): string | null {
  if (id === '.' || id === '..') return 'cannot stand in an address';
  if (id.startsWith('~')) return 'begins with ~ as our own numbers do';
  return null;
}

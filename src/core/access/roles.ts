/** Who works on a store, the most trusted first. */
export const ROLES = ['owner', 'editor', 'writer', 'analyst'] as const;
export type Role = (typeof ROLES)[number];

export const ROLE_WORDS: { readonly [role in Role]: { readonly name: string; readonly says: string } } = {
  owner: { name: 'Owner', says: 'may do everything, and says who works here' },
  editor: { name: 'Editor', says: 'may do everything but say who works here' },
  writer: { name: 'Writer', says: 'reads everything and writes messages: those of the library and those in flows' },
  analyst: { name: 'Analyst', says: 'reads everything, comments, keeps reports and views, and changes nothing else' },
};

/** What a request asks for: to read, to change something, to send events, something of one's own account, or what only owners do. */
export type Needs = 'read' | 'write' | 'events' | 'self' | 'owner';

/** What those who only read keep for themselves and others: reports, views of the people table, and what they say. */
const KEPT = [/^\/reports(\/|$)/, /^\/views(\/|$)/, /^\/comments(\/|$)/];
/** Where messages are written: the library, files in letters, trying them out, and drafts of flows, of which only messages may change. */
const WRITTEN = [...KEPT, /^\/cards\/message\//, /^\/messages(\/|$)/, /^\/files(\/|$)/, /^\/flows\/[^/]+$/];

/** Whether somebody of a role may do something at an address of the public interface, such as `/messages/hello`, by a method. */
export function mayDo(role: Role, needs: Needs, method: string, path: string): boolean {
  if (needs === 'read' || needs === 'self' || role === 'owner') return true;
  if (needs === 'owner') return false;
  if (role === 'editor') return true;
  // what a shop asks for as it sends events is read by everybody
  if (needs === 'events') return method === 'GET';
  const own = role === 'writer' ? WRITTEN : KEPT;
  return own.some((place) => place.test(path)) && !(method === 'DELETE' && /^\/flows\//.test(path));
}

/** Why somebody of a role may not. */
export const sayMayNot = (role: Role): string =>
  `Your role is ${ROLE_WORDS[role].name.toLowerCase()}, who ${ROLE_WORDS[role].says}. Ask an owner of the store for another role.`;

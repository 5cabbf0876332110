/** What a key or a person may do through the public interface: send events, read, change. */
export const SCOPES = ['events', 'read', 'write'] as const;
export type Scope = (typeof SCOPES)[number];

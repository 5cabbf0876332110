import { AsyncLocalStorage } from 'node:async_hooks';

/** What is known of a request beside its answer, while it is worked on. */
export interface Asked {
  isOutage: boolean;
}

// one for the process: the front door and the built application are loaded apart
const kept = globalThis as { viaticAsked?: AsyncLocalStorage<Asked> };
export const asked = (): AsyncLocalStorage<Asked> => (kept.viaticAsked ??= new AsyncLocalStorage<Asked>());

/** Notes that a request fails because the database is away: the framework knows only that it has failed. */
export function noteOutage(): void {
  const own = asked().getStore();
  if (own) own.isOutage = true;
}

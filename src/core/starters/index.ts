import { APP } from './app';
import { SHOP } from './shop';
import type { Starter } from './parts';

export type { Starter };

/** Flows to begin with, for every shop and app. */
export const STARTERS: readonly Starter[] = [...SHOP, ...APP];

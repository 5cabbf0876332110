'use client';

import { createContext, useContext } from 'react';
import { mayDo, sayMayNot, type Role } from '@/core/access';

/** Who is signed in. */
export interface Me {
  readonly name: string;
  readonly email: string;
  readonly role: Role;
}

// a form that anybody fills in has nobody above it: what it does is not asked for here
const Context = createContext<Me | null>(null);
export const MeProvider = Context.Provider;

/** What keeps the signed-in person from changing something at a place of the public interface, such as `/offers/ten`; null where nothing does. */
export function useMayNot(): (place: string | undefined, needs?: 'write' | 'owner') => string | null {
  const me = useContext(Context);
  return (place, needs = 'write') => (!me || place === undefined || mayDo(me.role, needs, 'PUT', place) ? null : sayMayNot(me.role));
}

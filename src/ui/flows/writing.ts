'use client';

import { createContext, useContext } from 'react';

/** Opens the letter of a step, in one of its versions, to be written. */
export const WriteContext = createContext<(step: string, version: string | null) => void>(() => undefined);
export const useWrite = () => useContext(WriteContext);

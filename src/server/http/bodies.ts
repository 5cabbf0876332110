import { z } from 'zod';

/** The body of a move of store time. */
export const moveSchema = z.strictObject({ advance: z.string().max(40) });

import * as z from 'zod';

/** The body of a move of store time: by a duration, or to a moment. */
export const moveSchema = z.union([z.strictObject({ advance: z.string().max(40) }), z.strictObject({ to: z.string().max(40) })]);

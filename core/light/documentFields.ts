/** Parts that documents of light are made of. */
import { z } from 'zod';

/** Brighter than any lamp and still far from the end of 32-bit floats, squares included. */
export const MAX_INTENSITY = 1e9;
const level = z.number().min(0).max(MAX_INTENSITY);
/** rgb, nit. */
export const radianceField = z.tuple([level, level, level]);
export const directionField = z
  .tuple([z.number(), z.number(), z.number()])
  .refine((d) => d.some((c) => c !== 0), 'a direction of zero length points nowhere');

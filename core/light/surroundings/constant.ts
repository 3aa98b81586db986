/** The same light from everywhere: the lowest stop of a gradient. */
import { z } from 'zod';
import { smooth } from './gradient';
import { FILE_FLAGS, rgbInFile, type SurroundingsKind } from './kind';

export const constant = {
  ...smooth,
  kind: 'constant',
  label: 'Even',
  file: z
    .object({ kind: z.literal('constant'), radiance: rgbInFile, ...FILE_FLAGS })
    .transform(({ radiance, ...rest }) => ({ environment: { ...rest, stops: [{ y: 0, radiance }] } })),
  toFile: ({ stops, ...rest }) => ({ ...rest, radiance: stops[0].radiance }),
} satisfies SurroundingsKind;

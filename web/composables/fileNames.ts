import type { StillFileKind } from '@daxel/api/schemas';

/** What the kinds of files are called. */
export const FILE_NAMES: Record<StillFileKind, string> = {
  png8: 'PNG, 8 bit',
  png16: 'PNG, 16 bit',
  'exr-half': 'EXR, half',
  'exr-float': 'EXR, float',
};

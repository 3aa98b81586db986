/** The document of what stands around a scene: what every kind has, and what each adds. */
import { z } from 'zod';
import { gradientFields } from './gradient';
import { pictureFields } from './picture';

const strength = z.number().min(0).max(1000);

/**
 * All kinds share one document, so that a change of kind loses nothing: what the others need stays beside it. The ranges
 * are those of a rig.
 */
export const environmentDocument = z.strictObject({
  kind: z.enum(['constant', 'gradient', 'picture']),
  ...pictureFields,
  ...gradientFields,
  /** Degrees about the vertical axis. */
  rotationDeg: z.number().min(-3600).max(3600),
  strength,
  seenByCamera: z.boolean(),
  lightsSurfaces: z.boolean(),
  seenInReflections: z.boolean(),
  /** Factors on `strength` for the three uses; 1 when absent. */
  cameraStrength: strength.optional(),
  lightStrength: strength.optional(),
  reflectionStrength: strength.optional(),
});
export type EnvironmentSource = z.infer<typeof environmentDocument>;

/** Seen, lighting and mirrored at its own strength, unturned: what a new one of any kind begins with. */
export const AS_IT_IS = {
  rotationDeg: 0,
  strength: 1,
  seenByCamera: true,
  lightsSurfaces: true,
  seenInReflections: true,
} as const;

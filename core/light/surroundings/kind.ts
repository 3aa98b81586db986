/** What a kind of surroundings is to everything else. */
import { z } from 'zod';
import type { EnvironmentPicture } from '../../scene/source';
import type { EnvironmentSource } from './document';

/** Writes the radiance (rgb, nit) seen towards a unit direction. */
export type RadianceFunction = (x: number, y: number, z: number, out: Float64Array) => void;
/** For what surroundings are asked. */
export type EnvironmentUse = 'camera' | 'light' | 'reflection';

/** Light that can be read blurred. */
export interface BlurredRadiance {
  /** The radiance as wide as a level of detail: 0 is `pixelAngle` across, each level is twice as wide. */
  at(x: number, y: number, z: number, lod: number, out: Float64Array): void;
  /** Steradians. */
  pixelAngle: number;
  /** The level at which second-order harmonics lose nothing, and how many looks a side they need of it. */
  harmonics: { lod: number; side: number };
}

/** Light that changes with the elevation alone, but for a glow. */
export interface Gradient {
  /** From the lowest upwards. */
  stops: EnvironmentSource['stops'];
  /** Added to the stops; its direction is a unit vector in the scene. */
  glow: { direction: [number, number, number]; radiance: readonly number[]; sharpness: number } | null;
  /** On all of it. */
  strength: number;
}

/** A document out of a file; `image` is its picture among the file's. */
export interface InFile {
  environment: EnvironmentSource;
  image?: number;
}

/** A factor is on top of the document's own strength; a picture is the one the document names, null when it is missing. */
export interface SurroundingsKind {
  kind: EnvironmentSource['kind'];
  /** As screens call it. */
  label: string;
  /** How a scene's file says it (`extras.daxel.environment`), read into a document. */
  file: z.ZodType<InFile>;
  /** The same for writing; null when it cannot be written. */
  toFile(environment: EnvironmentSource): object | null;
  /** The document's own fields, brought into the ranges of a rig. */
  inRange(environment: EnvironmentSource): Partial<EnvironmentSource>;
  /** By which name the picture it looks into is kept; null for none. */
  pictureName(environment: EnvironmentSource): string | null;
  radiance(environment: EnvironmentSource, picture: EnvironmentPicture | null, factor: number): RadianceFunction;
  blurred(environment: EnvironmentSource, picture: EnvironmentPicture | null, factor: number): BlurredRadiance;
  /** As the compiled loops draw it behind the scene; null when it is no gradient. */
  gradient(environment: EnvironmentSource, factor: number): Gradient | null;
  /** Columns and rows of the table by which directions are drawn. */
  cells: readonly [number, number];
  /**
   * What a mix of both says other than the one with more weight; null when they have no common form.
   * @param b of any kind
   * @param t 0 the first … 1 the second
   * @param gain on the second's light
   */
  blend(a: EnvironmentSource, b: EnvironmentSource, t: number, gain: number): Partial<EnvironmentSource> | null;
}

const rgbNumber = z.number();
export const rgbInFile = z.tuple([rgbNumber, rgbNumber, rgbNumber]);
const weight = z.number().min(0);
/** What all kinds say in a file beside their own. */
export const FILE_FLAGS = {
  rotationDeg: z.number().default(0),
  strength: weight.default(1),
  seenByCamera: z.boolean().default(true),
  lightsSurfaces: z.boolean().default(true),
  seenInReflections: z.boolean().default(true),
  cameraStrength: weight.optional(),
  lightStrength: weight.optional(),
  reflectionStrength: weight.optional(),
};

/** Factor on surroundings' light for one use; 0 when they are switched off for it. */
export function useStrength(environment: EnvironmentSource, use: EnvironmentUse): number {
  if (use === 'camera') return environment.seenByCamera ? (environment.cameraStrength ?? 1) : 0;
  if (use === 'light') return environment.lightsSurfaces ? (environment.lightStrength ?? 1) : 0;
  return environment.seenInReflections ? (environment.reflectionStrength ?? 1) : 0;
}

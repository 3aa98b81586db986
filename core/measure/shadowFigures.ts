/** What is wrong with the shadows on a patch, in figures. */
import { shadowBands } from './banding';
import { shadowContours } from './contours';
import { highlightDots } from './highlightDots';
import type { Rect } from './rect';
import { shadowFaults } from './shadowFaults';
import { stairSteps } from './stairs';

/** What shadow edges are measured on. */
export interface EdgeSource {
  width: number;
  height: number;
  /** Share of direct light that arrives, per pixel. */
  lit: Float32Array;
  /** Number of the object, per pixel. */
  objects: Uint32Array;
}

export interface Edges {
  stairs: number;
  /** Contrast of false layers: of even steps their height times their share, of waves as an eye sees them. */
  bands: number;
}
/** What is wrong with the shadows and highlights of a patch; null where it was not measured. */
export interface ShadowFigures {
  /** Pixels by which edges run from a smooth line. */
  stairs: number;
  /** Step between bands times the share of the soft shadow that lies in bands. */
  bands: number;
  /** Light that is missing where all around is lit, and that is there where all around is dark, as shares. */
  acne: number | null;
  leak: number | null;
  /** Contrast of dots in highlights on the display, 0…1. */
  dots: number | null;
}

/**
 * Share of a patch below which its soft shadow is no place where layers are seen: leaves, bars, threads. Even steps are
 * looked for along single lines of pixels, so they need more of it.
 */
const LEAST_SOFT = 0.02;
const MUCH_SOFT = 0.1;

/** @param seen a settled picture's light and objects */
export function measureEdges({ lit, objects, width, height }: EdgeSource, rect: Rect): Edges {
  const { step, plateaus, pixels } = shadowBands(lit, objects, width, height, rect);
  const contours = shadowContours(lit, objects, width, height, rect);
  const area = rect.width * rect.height;
  // rows and columns are both looked along
  const steps = pixels / (2 * area) < MUCH_SOFT ? 0 : step * plateaus;
  const contrast = contours.share < LEAST_SOFT ? 0 : contours.contrast;
  return { stairs: stairSteps(lit, objects, width, height, rect).pixels, bands: Math.max(steps, contrast) };
}

/** A picture, as far as a patch of it is measured. */
export interface PatchPicture {
  source: EdgeSource;
  codes: Uint8ClampedArray | Uint8Array;
  rect: Rect;
}

/** @param truth with traced shadows @param many with many places on each light */
export function shadowFigures(
  { source, codes, rect }: PatchPicture,
  truth: PatchPicture | null,
  many: PatchPicture | null,
): ShadowFigures {
  const { lit, objects, width, height } = source;
  const faults = truth && shadowFaults(lit, truth.source.lit, objects, width, height, rect);
  const reference = many && { codes: many.codes, lit: many.source.lit };
  const dots = reference && highlightDots({ codes, lit }, reference, width, height, rect);
  return { ...measureEdges(source, rect), acne: faults?.acne ?? null, leak: faults?.leak ?? null, dots };
}

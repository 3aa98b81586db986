/** Where paths start: pixels of a camera, texels of a map, a probe that looks in all directions. */

/** The parts of a start: where its ray begins, and its unit direction. */
export const START_ORIGIN = 0;
export const START_DIRECTION = 3;
/** Factor on the surroundings where the ray meets them before any surface. */
export const START_SKY = 6;
/** Width of the ray at its origin, metres, and what it grows by a metre. */
export const START_FOOTPRINT = 7;
export const START_SPREAD = 8;
/**
 * Density per steradian with which its direction was drawn, where the surroundings and what glows were asked for light as well:
 * what it meets of these is weighted against that. 0: it counts whole.
 */
export const START_DENSITY = 9;
/** 1: it leaves a matte surface. */
export const START_MATTE = 10;
/** 1: it may scatter nowhere, and only learns what light it meets. */
export const START_ENDS = 11;
export const START_SIZE = 12;

/**
 * Paths are booked by item: `PATH_SUMS` numbers each, at the item's number in the sums. What a ray meets before it
 * scatters is booked as emission; lamps themselves are met by later rays alone, as a camera does not see them.
 */
export interface PathStarts {
  /** Items there are. */
  readonly count: number;
  /**
   * Writes how sample `sample` of an item starts; random numbers are functions of both and of a seed of its own.
   * @param ray START_SIZE numbers
   * @returns false when the item takes no more samples
   */
  start(item: number, sample: number, ray: Float64Array): boolean;
}

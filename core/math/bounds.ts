/** Boxes along the axes. */
export interface Bounds {
  min: readonly number[];
  max: readonly number[];
}

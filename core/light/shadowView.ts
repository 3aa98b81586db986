/** One square depth picture seen from a light. Depth is reversed: 1 nearest to the light, 0 at the far end. */
export interface ShadowView {
  /** Row-wise world → (X, Y, Z, W) in texels. */
  matrix: Float64Array;
  resolution: number;
  /** Metres a texel covers: everywhere (sun), or at one metre from the light (point, spot). */
  texelSize: number;
  perspective: boolean;
  /** Depth units a metre (sun), or the near distance (lamps). */
  depthScale: number;
  /** Metres along the light that the map holds (sun), or to the farthest place the lamp can shade. */
  span: number;
  /** Distance from the camera at which the next cascade takes over; Infinity for a map without a next one. */
  end: number;
  /** Largest depth code of the simulated format, 0 for 32-bit floats. */
  depthCodes: number;
  /** Where this map starts in the array of all shadow texels. */
  offset: number;
  /** Where its blocks start in the array of all blocks, two numbers each: farthest (least) and nearest depth. */
  blockOffset: number;
  /** Where its tiles start in the array of all tiles. */
  tileOffset: number;
}

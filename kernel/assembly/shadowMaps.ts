/** Where the shadow maps of a frame lie. */

export let depths: usize = 0;
/** Farthest and nearest depth of each block of 16 × 16 texels. */
export let blocks: usize = 0;
/** Depth and tint of glass; 0 where glass casts nothing. */
export let glassDepth: usize = 0;
export let glassTint: usize = 0;

export function bindShadows(depths_: usize, blocks_: usize, glassDepth_: usize, glassTint_: usize): void {
  depths = depths_;
  blocks = blocks_;
  glassDepth = glassDepth_;
  glassTint = glassTint_;
}

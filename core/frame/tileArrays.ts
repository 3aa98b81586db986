/** What a tile leaves in a frame's arrays besides its samples. */
import { fillBox, type CoverageKernel } from '../raster/coverageKernel';
import { SUMS } from '../light/components';
import { TILE_SHIFT, type Tile } from '../raster/tile';
import { PARALLEL_RANGE, type CameraView } from '../scene/camera';
import type { CompiledScene } from '../scene/compiled';
import type { FrameViews } from './frameMemory';

/** Writes the instance + 1 of the see-through surface that lies first before each pixel's nearest solid one, else 0. */
export function writeOverlaid(
  scene: CompiledScene,
  tile: Tile,
  overlaid: Uint32Array,
  width: number,
  kernel: CoverageKernel | null,
): void {
  if (tile.seeThrough === 0) return fillBox(kernel, overlaid, width, tile, 0);
  const { layerCount, layerTriangle, layerLimit } = tile;
  for (let y = tile.y0; y < tile.y1; y++)
    for (let x = tile.x0; x < tile.x1; x++) {
      const i = ((y - tile.y0) << TILE_SHIFT) + x - tile.x0;
      const t = layerCount[i] > 0 ? layerTriangle[i * layerLimit] : -1;
      overlaid[y * width + x] = t < 0 ? 0 : scene.triangleInstance[t] + 1;
    }
}

export function clearGeometry(frame: FrameViews, tile: Tile, width: number, kernel: CoverageKernel | null): void {
  fillBox(kernel, frame.depth, width, tile, 0);
  fillBox(kernel, frame.normal, width, tile, 0, 3);
  fillBox(kernel, frame.objectId, width, tile, 0);
}

export function clearSums(frame: FrameViews, tile: Tile, width: number, kernel: CoverageKernel | null): void {
  fillBox(kernel, frame.sums, width, tile, 0, SUMS);
}

/** Metres along the view axis of what a tile sees, 0 where nothing is. */
export function writeTileDepth(tile: Tile, depth: Float32Array, width: number, camera: CameraView): void {
  const { lens } = camera;
  const parallel = lens.kind !== 'perspective';
  for (let y = tile.y0; y < tile.y1; y++) {
    for (let x = tile.x0; x < tile.x1; x++) {
      const z = tile.depth[((y - tile.y0) << TILE_SHIFT) + x - tile.x0];
      const metres = parallel ? lens.near + (1 - z) * PARALLEL_RANGE : lens.near / z;
      depth[y * width + x] = z > 0 ? metres : 0;
    }
  }
}

/** What a tile leaves in a frame's arrays besides its samples. */
import { fillBox, type CoverageKernel } from '../raster/coverageKernel';
import { SUMS } from '../light/components';
import { crossLength, edgeCross } from '../math/triangle';
import { NO_TRIANGLE, TILE_SHIFT, type Tile } from '../raster/tile';
import { PARALLEL_RANGE, type CameraView, type RayFrame } from '../scene/camera';
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

const cross = new Float64Array(3);

/** True unit normals of what a tile sees, on the side that is seen; where nothing is they are left as they are. */
export function writeTileNormals(tile: Tile, scene: CompiledScene, positions: Float32Array, seen: SeenNormals): void {
  const { rays, normals, width } = seen;
  const { triangles } = scene;
  const at = [0, 0, 0];
  let last = NO_TRIANGLE;
  for (let y = tile.y0; y < tile.y1; y++)
    for (let x = tile.x0; x < tile.x1; x++) {
      const t = tile.triangle[((y - tile.y0) << TILE_SHIFT) + x - tile.x0];
      if (t === NO_TRIANGLE) continue;
      if (t !== last) {
        const [a, b, c] = [triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3];
        edgeCross(positions, a, b, c, cross);
        let towards = 0;
        for (let k = 0; k < 3; k++)
          towards += cross[k] * (rays.perspective ? rays.origin[k] - positions[a + k] : -rays.forward[k]);
        const scale = (towards < 0 ? -1 : 1) / (crossLength(cross) || 1);
        for (let k = 0; k < 3; k++) at[k] = cross[k] * scale;
        last = t;
      }
      normals.set(at, (y * width + x) * 3);
    }
}

/** Where normals go, and from where they are looked at. */
export interface SeenNormals {
  rays: RayFrame;
  /** xyz a pixel. */
  normals: Float32Array;
  width: number;
}

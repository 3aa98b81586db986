/** Shades what a tile sees at one sample position and adds it to the picture's sums. */
import { LIGHT_NUMBERS, SUM_COVERAGE, SUM_LIT, SUMS } from '../light/components';
import { coveredBy, viewSurface, type ViewInput } from './views';
import type { RayFrame } from '../scene/camera';
import { ALPHA_BLEND, M_ALPHA_MODE, MATERIAL_STRIDE } from '../scene/materialTable';
import type { Gradient, RadianceFunction } from '../light/surroundings/kind';
import { L_EMISSION, L_LIT, LIGHT_SIZE, lightSurface, type LightingInput } from './lighting';
import {
  createTriangleCache,
  S_BASE,
  S_MIRRORED,
  S_NORMAL,
  S_OPACITY,
  S_POSITION,
  S_TRANSMISSION,
  SURFACE_SIZE,
  surfaceAt,
  type SurfaceInput,
  type TriangleCache,
} from '../raster/surface';
import { NO_TRIANGLE, TILE_SHIFT, type Tile } from '../raster/tile';

export interface ShadeInput {
  surface: SurfaceInput;
  lighting: LightingInput;
  rays: RayFrame;
  width: number;
  /** Radiance of the visible background, or null when it is black. */
  background: RadianceFunction | null;
  /** The same as a gradient, where it is one. */
  gradient: Gradient | null;
  /** SUMS numbers a pixel. */
  sums: Float32Array;
  /** Written by the first sample only: metres along the view axis (0 where nothing is), normal, instance + 1. */
  depth: Float32Array;
  normal: Float32Array;
  objectId: Uint32Array;
  /** An instrument instead of the picture, or null. */
  view: ViewInput | null;
}

const surface = new Float64Array(SURFACE_SIZE);
const light = new Float64Array(LIGHT_SIZE);
const pixel = new Float64Array(LIGHT_NUMBERS);
const background = new Float64Array(3);
const opaqueCache = createTriangleCache();
/** One cache per glass layer: neighbouring pixels mostly see the same surfaces in the same order. */
const glassCaches: TriangleCache[] = Array.from({ length: 16 }, createTriangleCache);

/**
 * @param share part of a whole pixel sample that this call adds: lights are that much weaker already
 * @param first true for the sample that also writes depth, normal and object
 */
export function shadeTile(input: ShadeInput, tile: Tile, ox: number, oy: number, share: number, first: boolean): void {
  const { rays, width, sums } = input;
  // edge functions belong to this frame's projection: forget those of another
  opaqueCache.triangle = NO_TRIANGLE;
  for (const cache of glassCaches) cache.triangle = NO_TRIANGLE;
  const parallel = !rays.perspective;
  const ex = parallel ? -rays.forward[0] : rays.origin[0];
  const ey = parallel ? -rays.forward[1] : rays.origin[1];
  const ez = parallel ? -rays.forward[2] : rays.origin[2];
  const covers = coveredBy(input.view);
  covers?.begin(tile);
  for (let y = tile.y0; y < tile.y1; y++) {
    let i = (y - tile.y0) << TILE_SHIFT;
    const py = y + oy;
    for (let x = tile.x0; x < tile.x1; x++, i++) {
      const px = x + ox;
      const t = tile.triangle[i];
      const at = y * width + x;
      const o = at * SUMS;
      const layers = tile.layerCount[i];
      if (t !== NO_TRIANGLE) {
        surfaceAt(input.surface, opaqueCache, t, px, py, ex, ey, ez, parallel, surface);
        sums[o + SUM_COVERAGE] += share;
        if (first) writeGeometry(input, at, t);
        if (input.view !== null) {
          if (!covers?.coverAt(px, py, depthOf(rays), background))
            viewSurface(input.view, surface, input.surface.scene.triangleInstance[t], at, background);
          for (let c = 0; c < 3; c++) sums[o + L_EMISSION + c] += background[c] * share;
          continue;
        }
        lightSurface(input.lighting, surface, false, at, share, light);
        sums[o + SUM_LIT] += light[L_LIT] * share;
        if (layers === 0) {
          addTo(sums, o, light);
          continue;
        }
        for (let c = 0; c < LIGHT_NUMBERS; c++) pixel[c] = light[c];
      } else {
        sums[o + SUM_LIT] += share;
        if (input.view !== null) {
          if (!covers?.coverAt(px, py, Infinity, background)) continue;
          for (let c = 0; c < 3; c++) sums[o + L_EMISSION + c] += background[c] * share;
          continue;
        }
        if (input.background === null) {
          if (layers === 0) continue;
          pixel.fill(0);
        } else {
          backgroundAt(input, px, py, background);
          if (share !== 1) for (let c = 0; c < 3; c++) background[c] *= share;
          if (layers === 0) {
            sums[o + L_EMISSION] += background[0];
            sums[o + L_EMISSION + 1] += background[1];
            sums[o + L_EMISSION + 2] += background[2];
            continue;
          }
          pixel.fill(0);
          pixel[L_EMISSION] = background[0];
          pixel[L_EMISSION + 1] = background[1];
          pixel[L_EMISSION + 2] = background[2];
        }
      }
      const from = i * tile.layerLimit;
      for (let k = layers - 1; k >= 0; k--) {
        surfaceAt(input.surface, glassCaches[k], tile.layerTriangle[from + k], px, py, ex, ey, ez, parallel, surface);
        lightSurface(input.lighting, surface, true, at, share, light);
        layOver(input, tile.layerTriangle[from + k]);
        if (first && k === 0 && t === NO_TRIANGLE) writeGeometry(input, at, tile.layerTriangle[from]);
      }
      if (t === NO_TRIANGLE) sums[o + SUM_COVERAGE] += share;
      addTo(sums, o, pixel);
    }
  }
}

/** Adds the twelve components; written out, since the engine does not unroll loops. */
function addTo(sums: Float32Array, o: number, from: Float64Array): void {
  sums[o] += from[0];
  sums[o + 1] += from[1];
  sums[o + 2] += from[2];
  sums[o + 3] += from[3];
  sums[o + 4] += from[4];
  sums[o + 5] += from[5];
  sums[o + 6] += from[6];
  sums[o + 7] += from[7];
  sums[o + 8] += from[8];
  if (from[9] !== 0 || from[10] !== 0 || from[11] !== 0) {
    sums[o + 9] += from[9];
    sums[o + 10] += from[10];
    sums[o + 11] += from[11];
  }
}

/** Lays a see-through surface over what is behind it: Fresnel-weighted tint, or plain alpha. */
function layOver(input: ShadeInput, t: number): void {
  const { scene } = input.surface;
  const transmission = surface[S_TRANSMISSION];
  const m = scene.triangleMaterial[t] * MATERIAL_STRIDE;
  const alpha = scene.materials[m + M_ALPHA_MODE] === ALPHA_BLEND ? Math.min(1, Math.max(0, surface[S_OPACITY])) : 1;
  for (let c = 0; c < 3; c++) {
    const pass = 1 - alpha + alpha * transmission * surface[S_BASE + c] * (1 - surface[S_MIRRORED + c]);
    for (let k = c; k < LIGHT_NUMBERS; k += 3) pixel[k] = pixel[k] * pass + light[k] * alpha;
  }
}

/** Radiance of the background at a place of the picture. */
export function backgroundAt(input: ShadeInput, px: number, py: number, out: Float64Array): void {
  const { rays } = input;
  let x = rays.forward[0];
  let y = rays.forward[1];
  let z = rays.forward[2];
  if (rays.perspective) {
    x = rays.base[0] + px * rays.right[0] + py * rays.down[0];
    y = rays.base[1] + px * rays.right[1] + py * rays.down[1];
    z = rays.base[2] + px * rays.right[2] + py * rays.down[2];
  }
  const l = 1 / Math.sqrt(x * x + y * y + z * z);
  input.background!(x * l, y * l, z * l, out);
}

/** Of the surface, metres along the view axis. */
function depthOf({ origin, forward }: RayFrame): number {
  return (
    (surface[S_POSITION] - origin[0]) * forward[0] +
    (surface[S_POSITION + 1] - origin[1]) * forward[1] +
    (surface[S_POSITION + 2] - origin[2]) * forward[2]
  );
}

function writeGeometry(input: ShadeInput, at: number, t: number): void {
  input.depth[at] = depthOf(input.rays);
  input.normal[at * 3] = surface[S_NORMAL];
  input.normal[at * 3 + 1] = surface[S_NORMAL + 1];
  input.normal[at * 3 + 2] = surface[S_NORMAL + 2];
  input.objectId[at] = input.surface.scene.triangleInstance[t] + 1;
}

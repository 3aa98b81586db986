/**
 * The light that falls on faces of voxels straight from lights, sky and what glows, and that they scatter; their own glow; and
 * the part of light that they scatter. The path tracer's own loops find it: rays that end on each face are shaded as any other.
 */
import { componentAt, LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { hash32, hashCombine } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import { P_COLOR, P_COVERED, PATH_SUMS } from '../../trace/pathSums';
import {
  START_DENSITY,
  START_DIRECTION,
  START_ENDS,
  START_FOOTPRINT,
  START_MATTE,
  START_ORIGIN,
  START_SKY,
  START_SPREAD,
  type PathStarts,
} from '../../trace/paths/pathStarts';
import { traceFrom, type Tracer } from '../../trace/tracePaths';
import type { VoxelGrid } from './grid';
import type { VoxelViews } from './stage';

export interface FaceLight {
  tracer: Tracer;
  grid: VoxelGrid;
  views: VoxelViews;
  /** xyz per vertex as it stands now, metres; three vertices a triangle. */
  positions: Float32Array;
  triangles: Uint32Array;
  /** PATH_SUMS numbers a ray, for as many as are in flight at once. */
  sums: Float32Array;
  samples: number;
  /** They only learn what glows. */
  ends: boolean;
}

/** Voxels of a row whose rays are in flight at once. */
const AT_ONCE = 128;
/** Rays start so far off their face, and spread over so much of a voxel, in its sides. */
const LIFT = 0.02;
const SPREAD = 0.7;
const VOXEL_SEED = 0x70ce1;
const EMISSION = componentAt('emission');

const pair = new Float64Array(2);
const normal = new Float64Array(3);

/** Does so for a layer along z, and books the mean of what it finds. */
export function lightLayer(light: FaceLight, z: number): void {
  const { grid, views } = light;
  const [across, up, deep] = grid.levels[0].counts;
  const plane = (across + 2) * (up + 2);
  let [sum, weight] = [0, 0];
  for (let y = 0; y < up; y++)
    for (let x0 = 0; x0 < across; x0 += AT_ONCE) {
      const first = (z + 1) * plane + (y + 1) * (across + 2) + 1 + x0;
      const cells = views.voxelCells.subarray(first, first + Math.min(AT_ONCE, across - x0));
      if (cells.every((cell) => cell === 0)) continue;
      // by where a voxel is, not by which others there are: noise stays in place when something moves
      light.tracer.input.sampleBase = hashCombine(hash32(VOXEL_SEED), (y * deep + z) * 2 + (x0 > 0 ? 1 : 0));
      const starts = startsFrom(light, cells);
      for (let s = 0; s < light.samples; s++) traceFrom(light.tracer, starts, 0, cells.length * 6, s);
      forFaces(cells, (item, face) => {
        const found = take(light, item, face);
        const depth = views.voxelLit[face * 4 + 3];
        sum += depth * found;
        weight += depth;
      });
    }
  views.voxelMeans[z * 2] = sum;
  views.voxelMeans[z * 2 + 1] = weight;
}

/** @param run is told which of six times the cells it is, and its number in the grid */
function forFaces(cells: Int32Array, run: (item: number, face: number) => void): void {
  for (let i = 0; i < cells.length; i++) {
    let face = cells[i] >>> 6;
    for (let f = 0; f < 6; f++) if ((cells[i] >>> f) & 1) run(i * 6 + f, face++);
  }
}

/** The face of an item, or −1. */
function faceAt(cells: Int32Array, item: number): number {
  const cell = cells[Math.floor(item / 6)];
  const f = item % 6;
  if (!((cell >>> f) & 1)) return -1;
  let before = 0;
  for (let k = 0; k < f; k++) before += (cell >>> k) & 1;
  return (cell >>> 6) + before;
}

function startsFrom({ views, grid, positions, triangles, ends }: FaceLight, cells: Int32Array): PathStarts {
  const { voxelFound } = views;
  const marks = new Int32Array(voxelFound.buffer, voxelFound.byteOffset, voxelFound.length);
  return {
    count: cells.length * 6,
    start(item, sample, ray) {
      const face = faceAt(cells, item);
      if (face < 0) return false;
      const mark = marks[face * 4 + 3];
      normalOf(positions, triangles, mark >> 1, mark & 1 ? -1 : 1);
      sobol2(sample, hashCombine(VOXEL_SEED, item), pair);
      // the first looks at its place itself: what lies around it may be another surface
      const u = sample === 0 ? 0 : (pair[0] - 0.5) * SPREAD * grid.side;
      const v = sample === 0 ? 0 : (pair[1] - 0.5) * SPREAD * grid.side;
      const [nx, ny, nz] = normal;
      const flat = Math.abs(ny) < 0.9;
      const [ax, az] = flat ? [nz, -nx] : [0, 0];
      const [ay, bz] = flat ? [0, 0] : [nz, -ny];
      const size = Math.sqrt(ax * ax + az * az + ay * ay + bz * bz);
      const [tx, ty, tz] = [ax / size, ay / size, (az + bz) / size];
      const across = [ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx];
      const along = [tx, ty, tz];
      for (let c = 0; c < 3; c++) {
        const middle = grid.min[c] + voxelFound[face * 4 + c] * grid.side;
        ray[START_ORIGIN + c] = middle + normal[c] * LIFT * grid.side + along[c] * u + across[c] * v;
        ray[START_DIRECTION + c] = -normal[c];
      }
      ray[START_SKY] = 0;
      ray[START_FOOTPRINT] = grid.side / 2;
      ray[START_SPREAD] = 0;
      ray[START_DENSITY] = 0;
      ray[START_MATTE] = 1;
      ray[START_ENDS] = ends ? 1 : 0;
      return true;
    },
  };
}

function normalOf(positions: Float32Array, triangles: Uint32Array, t: number, side: number): void {
  const [a, b, c] = [triangles[t * 3] * 3, triangles[t * 3 + 1] * 3, triangles[t * 3 + 2] * 3];
  const [ux, uy, uz] = [0, 1, 2].map((k) => positions[b + k] - positions[a + k]);
  const [vx, vy, vz] = [0, 1, 2].map((k) => positions[c + k] - positions[a + k]);
  const [x, y, z] = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
  const size = side / Math.sqrt(x * x + y * y + z * z);
  normal[0] = x * size;
  normal[1] = y * size;
  normal[2] = z * size;
}

/** Writes what rays found of a face, and its mean normal in place of its point. @returns luminance of the light it scatters */
function take({ views, sums }: FaceLight, item: number, face: number): number {
  const { voxelLit, voxelGlow, voxelFound, voxelField } = views;
  const o = item * PATH_SUMS;
  const at = face * 4;
  const seen = sums[o + P_COVERED];
  const share = seen > 0 ? 1 / seen : 0;
  const scatters = new Uint8Array(voxelGlow.buffer, voxelGlow.byteOffset + (at + 3) * 4, 4);
  for (let c = 0; c < 3; c++) {
    let lit = 0;
    for (let k = c; k < LIGHT_NUMBERS; k += 3) if (k - c !== EMISSION) lit += sums[o + k];
    voxelLit[at + c] = lit * share;
    voxelGlow[at + c] = sums[o + EMISSION + c] * share;
    scatters[c] = Math.min(255, Math.max(0, Math.round(sums[o + P_COLOR + c] * share * 255)));
  }
  const [x, y, z] = voxelField.subarray(at, at + 3);
  const size = Math.sqrt(x * x + y * y + z * z) || 1;
  voxelFound.fill(0, at, at + 3);
  const packed = new Uint32Array(voxelFound.buffer, voxelFound.byteOffset + (at + 3) * 4, 1);
  packed[0] = pack(x / size) | (pack(y / size) << 10) | (pack(z / size) << 20);
  return luminance(voxelLit[at], voxelLit[at + 1], voxelLit[at + 2]);
}

/** −1…1 in ten bits. */
function pack(n: number): number {
  return Math.round(n * 511) + 511;
}

/**
 * The light that falls on faces of voxels straight from lights, sky and what glows, and that they scatter; their own glow; and
 * the part of light that they scatter. The path tracer's own loops find it: rays that end on each face are shaded as any other.
 */
import { componentAt, LIGHT_NUMBERS } from '../../light/components';
import { luminance } from '../../math/color';
import { cos, sin } from '../../math/exact';
import { hash32, hashCombine, toUnit } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import type { ShadedPlace } from '../../shadows/shadowAt';
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
import { lookAlong } from '../lookAlong';
import { cornerCell, type VoxelGrid } from './grid';
import { lightFromOutside, partOf } from './openings';
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
  /** That look for what comes to each face from outside of the grid, of all parts. */
  rays: number;
  /** They only learn what glows. */
  ends: boolean;
}

/** Voxels of a row whose rays are in flight at once. */
const AT_ONCE = 128;
/** Its items: faces that they may have. */
const ITEMS = AT_ONCE * 6;
/** Rays start so far off their face, and spread over so much of a voxel, in its sides. */
const LIFT = 0.02;
const SPREAD = 0.7;
const VOXEL_SEED = 0x70ce1;
/** Behind the three numbers of a packed normal. */
const BURIED = 1 << 30;
const EMISSION = componentAt('emission');

const pair = new Float64Array(2);
const normal = new Float64Array(3);
const along = new Float64Array(3);
const across = new Float64Array(3);
/** Of a row: the face of each item, or −1. */
const faces = new Int32Array(ITEMS);

/** Does so for a layer along z, and books the mean of what it finds. */
export function lightLayer(light: FaceLight, z: number): void {
  const { grid, views } = light;
  const [wide, up] = grid.levels[0].counts;
  const plane = (wide + 2) * (up + 2);
  const at = cornerCell(grid);
  const starts = startsFrom(light);
  let [sum, weight] = [0, 0];
  for (let y = 0; y < up; y++)
    for (let x0 = 0; x0 < wide; x0 += AT_ONCE) {
      const first = (z + 1) * plane + (y + 1) * (wide + 2) + 1 + x0;
      const cells = views.voxelCells.subarray(first, first + Math.min(AT_ONCE, wide - x0));
      if (cells.every((cell) => cell === 0)) continue;
      // by where a voxel is in the world, not by which others there are: noise stays in place when something moves
      light.tracer.input.sampleBase = hashCombine(hashCombine(hash32(VOXEL_SEED), at[1] + y), at[2] + z);
      const shift = at[0] + x0;
      faces.fill(-1);
      forFaces(cells, (i, f, face) => (faces[columnOf(i + shift) * 6 + f] = face));
      for (let s = 0; s < light.samples; s++) traceFrom(light.tracer, starts, 0, ITEMS, s);
      forFaces(cells, (i, f, face) => {
        const item = columnOf(i + shift) * 6 + f;
        const voxel = [x0 + i, y, z];
        const buried = isBuried(light, voxel, f, item);
        if (buried) outside.fill(0);
        else lookOutside(light, voxel, f, item, face);
        const found = take(light, item, face, buried);
        const depth = views.voxelLit[face * 4 + 3];
        sum += depth * found;
        weight += depth;
      });
    }
  views.voxelMeans[z * 2] = sum;
  views.voxelMeans[z * 2 + 1] = weight;
}

/** Where the rays of a voxel are booked, by where it is along x: of no more than AT_ONCE in a row no two at the same place. */
function columnOf(x: number): number {
  return ((x % AT_ONCE) + AT_ONCE) % AT_ONCE;
}

/** @param run is told which of the cells it is of, which of its six, and its number in the grid */
function forFaces(cells: Int32Array, run: (cell: number, f: number, face: number) => void): void {
  for (let i = 0; i < cells.length; i++) {
    let face = cells[i] >>> 6;
    for (let f = 0; f < 6; f++) if ((cells[i] >>> f) & 1) run(i, f, face++);
  }
}

function startsFrom({ views, grid, positions, triangles, ends }: FaceLight): PathStarts {
  const { voxelFound } = views;
  const { min, side } = grid;
  const marks = new Int32Array(voxelFound.buffer, voxelFound.byteOffset, voxelFound.length);
  return {
    count: ITEMS,
    start(item, sample, ray) {
      const face = faces[item];
      if (face < 0) return false;
      const mark = marks[face * 4 + 3];
      normalOf(positions, triangles, mark >> 1, mark & 1 ? -1 : 1);
      tangentsOf(normal);
      sobol2(sample, hashCombine(VOXEL_SEED, item), pair);
      // the first looks at its place itself: what lies around it may be another surface
      const u = sample === 0 ? 0 : (pair[0] - 0.5) * SPREAD;
      const v = sample === 0 ? 0 : (pair[1] - 0.5) * SPREAD;
      for (let c = 0; c < 3; c++) {
        const off = voxelFound[face * 4 + c] + normal[c] * LIFT + along[c] * u + across[c] * v;
        ray[START_ORIGIN + c] = min[c] + off * side;
        ray[START_DIRECTION + c] = -normal[c];
      }
      ray[START_SKY] = 0;
      ray[START_FOOTPRINT] = side / 2;
      ray[START_SPREAD] = 0;
      ray[START_DENSITY] = 0;
      ray[START_MATTE] = 1;
      ray[START_ENDS] = ends ? 1 : 0;
      return true;
    },
  };
}

/** Rays that look whether a place is inside something, by this cosine off the way that a face looks; two of three decide. */
const LOOKS = 3;
const ASIDE = 0.8;
const SIDEWAYS = Math.sqrt(1 - ASIDE * ASIDE);
const from = new Float64Array(3);
const way = new Float64Array(3);

/**
 * Is the place inside something closed from which a face's cones go out, as where its voxel lies half in another wall? What
 * they find in there says nothing of the light on what is seen of its surface.
 * @param voxel its own, x, y, z @param f which of the six @param item of the row: its rays are turned by that
 */
function isBuried({ grid, tracer }: FaceLight, voxel: readonly number[], f: number, item: number): boolean {
  const axis = f >> 1;
  const ahead = f & 1 ? -1 : 1;
  const [a, b] = [(axis + 1) % 3, (axis + 2) % 3];
  for (let c = 0; c < 3; c++) from[c] = grid.min[c] + (voxel[c] + 0.5 + (c === axis ? ahead : 0)) * grid.side;
  const turn = 2 * Math.PI * toUnit(hashCombine(tracer.input.sampleBase, item));
  let backs = 0;
  for (let k = 0; k < LOOKS; k++) {
    const angle = turn + (2 * Math.PI * k) / LOOKS;
    way[axis] = ahead * ASIDE;
    way[a] = SIDEWAYS * cos(angle);
    way[b] = SIDEWAYS * sin(angle);
    if (lookAlong(tracer.input.shadows, from[0], from[1], from[2], way).back) backs++;
    // two that agree decide
    if (backs === 2 || k - backs === 1) break;
  }
  return backs === 2;
}

/** Irradiance over π of a face: of all that lies outside, and of surfaces there. */
const outside = new Float64Array(6);
const place: ShadedPlace = { x: 0, y: 0, z: 0, fx: 0, fy: 0, fz: 0, viewDistance: 0 };

/** What reaches a face from outside of the grid, into `outside`. See `lightFromOutside`. */
function lookOutside(light: FaceLight, voxel: readonly number[], f: number, item: number, face: number): void {
  const { views, grid, tracer, positions, triangles, rays } = light;
  const { voxelFound } = views;
  const mark = new Int32Array(voxelFound.buffer, voxelFound.byteOffset + (face * 4 + 3) * 4, 1)[0];
  normalOf(positions, triangles, mark >> 1, mark & 1 ? -1 : 1);
  [place.fx, place.fy, place.fz] = normal;
  place.x = grid.min[0] + voxelFound[face * 4] * grid.side;
  place.y = grid.min[1] + voxelFound[face * 4 + 1] * grid.side;
  place.z = grid.min[2] + voxelFound[face * 4 + 2] * grid.side;
  const seed = hashCombine(tracer.input.sampleBase, item);
  const order = { rays, part: partOf(voxel, f >> 1), seed };
  lightFromOutside(tracer.input.shadows, grid, views.voxelBeyond, order, place, outside);
}

/** Of a triangle, into `normal`. @param side −1 for its other side */
function normalOf(p: Float32Array, triangles: Uint32Array, t: number, side: number): void {
  const a = triangles[t * 3] * 3;
  const b = triangles[t * 3 + 1] * 3;
  const c = triangles[t * 3 + 2] * 3;
  const ux = p[b] - p[a];
  const uy = p[b + 1] - p[a + 1];
  const uz = p[b + 2] - p[a + 2];
  const vx = p[c] - p[a];
  const vy = p[c + 1] - p[a + 1];
  const vz = p[c + 2] - p[a + 2];
  const x = uy * vz - uz * vy;
  const y = uz * vx - ux * vz;
  const z = ux * vy - uy * vx;
  const size = side / Math.sqrt(x * x + y * y + z * z);
  normal[0] = x * size;
  normal[1] = y * size;
  normal[2] = z * size;
}

/** Two directions at right angles to a unit one and to each other, into `along` and `across`. */
function tangentsOf(n: Float64Array): void {
  const flat = Math.abs(n[1]) < 0.9;
  const x = flat ? n[2] : 0;
  const y = flat ? 0 : n[2];
  const z = flat ? -n[0] : -n[1];
  const size = 1 / Math.sqrt(x * x + y * y + z * z);
  along[0] = x * size;
  along[1] = y * size;
  along[2] = z * size;
  across[0] = n[1] * along[2] - n[2] * along[1];
  across[1] = n[2] * along[0] - n[0] * along[2];
  across[2] = n[0] * along[1] - n[1] * along[0];
}

/** Writes what rays found of a face and what is in `outside`, and its mean normal in place of its point. @returns luminance of the light it scatters */
function take({ views, sums, ends }: FaceLight, item: number, face: number, buried: boolean): number {
  const { voxelLit, voxelGlow, voxelFound, voxelField, voxelOpen } = views;
  const o = item * PATH_SUMS;
  const at = face * 4;
  const seen = sums[o + P_COVERED];
  const share = seen > 0 ? 1 / seen : 0;
  const scatters = new Uint8Array(voxelGlow.buffer, voxelGlow.byteOffset + (at + 3) * 4, 4);
  for (let c = 0; c < 3; c++) {
    let lit = 0;
    for (let k = c; k < LIGHT_NUMBERS; k += 3) if (k - c !== EMISSION) lit += sums[o + k];
    const color = sums[o + P_COLOR + c] * share;
    // where nothing may bounce what glows outside is seen itself, but not what it shines on
    voxelLit[at + c] = lit * share + (ends ? 0 : color * outside[3 + c]);
    voxelOpen[at + c] = Math.PI * outside[c];
    voxelGlow[at + c] = sums[o + EMISSION + c] * share;
    scatters[c] = Math.min(255, Math.max(0, Math.round(color * 255)));
  }
  const [x, y, z] = voxelField.subarray(at, at + 3);
  const size = Math.sqrt(x * x + y * y + z * z) || 1;
  voxelFound.fill(0, at, at + 3);
  const packed = new Uint32Array(voxelFound.buffer, voxelFound.byteOffset + (at + 3) * 4, 1);
  packed[0] = pack(x / size) | (pack(y / size) << 10) | (pack(z / size) << 20) | (buried ? BURIED : 0);
  return luminance(voxelLit[at], voxelLit[at + 1], voxelLit[at + 2]);
}

/** −1…1 in ten bits. */
function pack(n: number): number {
  return Math.round(n * 511) + 511;
}

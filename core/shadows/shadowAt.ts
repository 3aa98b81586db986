/** How much of one light passes its shadow map at a place: choice of map, bias, filter, glass. */
import { LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import type { ShadowFilter } from '../scene/source';
import { cubeFace } from './lampViews';
import { momentDepth, readMoments } from './moments';
import { filterShadow } from './readShadow';
import type { ShadowMemory } from './shadowMap';
import type { ShadowView } from '../light/shadowView';
import { planeInMap, softShadow, type MapPlace } from './softShadow';

/** How one light's maps are read. */
export interface ShadowReading {
  filter: ShadowFilter;
  taps: number;
  /** Half width of the filter, texels. */
  radius: number;
  /** Choose the two biases from the size of texels and the depth format; the numbers below are not read then. */
  automatic: boolean;
  slopeBias: number;
  normalOffset: number;
  /** Moments only: light below this share counts as none. */
  leak: number;
  /** Share of a cascade that fades into the next. */
  blend: number;
}

/** A place that asks for its light. */
export interface ShadedPlace {
  x: number;
  y: number;
  z: number;
  /** True normal, towards the viewer. */
  fx: number;
  fy: number;
  fz: number;
  /** Metres from the camera along its axis. */
  viewDistance: number;
}

/** Share of a sun's cascade range at its far end over which shadows fade out. */
const END_FADE = 0.1;
const place: MapPlace = { u: 0, v: 0, depth: 0, gu: 0, gv: 0 };

/** Cascade that a distance falls into; the last one also beyond its end. */
export function cascadeAt(light: FrameLight, viewDistance: number): number {
  const last = light.maps.length - 1;
  let i = 0;
  while (i < last && viewDistance >= light.maps[i].end) i++;
  return i;
}

/** Map that holds a light's shadow at a place. @param lx … unit direction from the place to the light */
export function viewAt(light: FrameLight, viewDistance: number, lx: number, ly: number, lz: number): ShadowView {
  if (light.kind === LIGHT_SUN) return light.maps[cascadeAt(light, viewDistance)];
  return light.kind === LIGHT_SPOT ? light.maps[0] : light.maps[cubeFace(light, -lx, -ly, -lz)];
}

/**
 * Share of light, rgb, into `out`.
 * @param distance metres to the light; anything for a sun
 * @param faceCos cosine between the true normal and the direction to the light, above 0
 */
export function shadowAt(
  memory: ShadowMemory,
  reading: ShadowReading,
  light: FrameLight,
  at: ShadedPlace,
  lx: number,
  ly: number,
  lz: number,
  distance: number,
  faceCos: number,
  out: Float64Array,
): void {
  const view = viewAt(light, at.viewDistance, lx, ly, lz);
  readMap(memory, reading, light, view, at, distance, faceCos, out);
  if (light.kind !== LIGHT_SUN || view.end === Infinity) return;
  const i = light.maps.indexOf(view);
  const start = i > 0 ? light.maps[i - 1].end : 0;
  const next = light.maps[i + 1];
  const fade = (view.end - start) * (next ? reading.blend : END_FADE);
  const t = fade > 0 ? (at.viewDistance - view.end + fade) / fade : at.viewDistance >= view.end ? 1 : 0;
  if (t <= 0) return;
  const k = t < 1 ? t : 1;
  const [r, g, b] = out;
  // beyond the last map the sun shines everywhere
  if (next) readMap(memory, reading, light, next, at, distance, faceCos, out);
  else out[0] = out[1] = out[2] = 1;
  out[0] = r + (out[0] - r) * k;
  out[1] = g + (out[1] - g) * k;
  out[2] = b + (out[2] - b) * k;
}

function readMap(
  memory: ShadowMemory,
  reading: ShadowReading,
  light: FrameLight,
  view: ShadowView,
  at: ShadedPlace,
  distance: number,
  faceCos: number,
  out: Float64Array,
): void {
  const many = light.kind !== LIGHT_SUN && light.kind !== LIGHT_SPOT;
  const hard = reading.filter === 'hard';
  out[0] = out[1] = out[2] = 1;
  if (!project(reading, view, at, distance, faceCos, hard ? 0 : reading.radius)) return;
  const { u, v, depth } = place;
  const n = view.resolution;
  const inside = u >= 0 && v >= 0 && u < n && v < n;
  if (!inside && !many) return;
  let lit: number;
  const { shadowTexels, shadowBlocks } = memory;
  const size = reading.filter === 'soft' ? extentOf(light) : 0;
  if (reading.filter === 'moment') lit = readMoments(memory, view, u, v, momentDepth(view, depth), reading.leak);
  else if (size > 0) {
    // beside the lamp a place lies any number of texels away
    place.u = Math.min(2 * n, Math.max(-n, u));
    place.v = Math.min(2 * n, Math.max(-n, v));
    planeInMap(view, place, at.fx, at.fy, at.fz);
    lit = softShadow(shadowTexels, shadowBlocks, view, place, { size, least: reading.radius, clamp: many });
  } else {
    const taps = hard ? 1 : reading.taps;
    const spacing = hard ? 1 : (2 * reading.radius) / taps;
    lit = filterShadow(shadowTexels, shadowBlocks, view, u, v, depth, taps, spacing, many);
  }
  out[0] = out[1] = out[2] = lit;
  if (lit > 0 && memory.glassDepth.length > 0) readGlass(memory, view, u, v, depth, out);
}

/** Radius of the disc that a light of any shape stands for, metres; of a sun the tangent of its half angle. */
export function extentOf(light: FrameLight): number {
  if (light.sampled) return 0;
  if (light.kind === LIGHT_SUN) return light.discTan;
  return light.area > 0 ? Math.sqrt(light.area / Math.PI) : light.radius;
}

/**
 * Biased position of a place in a map, into `place`. Automatic: a face seen at an angle rises by its slope over half
 * a texel's diagonal and over the filter's half width. Moving off the face along its normal by that many texels times the
 * sine clears exactly this rise; what is left for the bias is the step of the depth format.
 * @returns false when the place lies behind a lamp's map
 */
function project(
  reading: ShadowReading,
  view: ShadowView,
  at: ShadedPlace,
  distance: number,
  faceCos: number,
  radius: number,
): boolean {
  const texel = view.perspective ? view.texelSize * distance : view.texelSize;
  const sine = Math.sqrt(1 - faceCos * faceCos);
  // half the filter widens the error of a single comparison, so the remedies grow with it
  const offset = reading.automatic
    ? (0.75 + radius) * texel * sine
    : reading.normalOffset * texel * (1 + radius) * sine;
  const x = at.x + at.fx * offset;
  const y = at.y + at.fy * offset;
  const z = at.z + at.fz * offset;
  const m = view.matrix;
  const w = m[12] * x + m[13] * y + m[14] * z + m[15];
  if (w <= 0) return false;
  place.u = (m[0] * x + m[1] * y + m[2] * z + m[3]) / w;
  place.v = (m[4] * x + m[5] * y + m[6] * z + m[7]) / w;
  let metres: number;
  if (reading.automatic) {
    const step = view.depthCodes > 0 ? 0.75 / view.depthCodes : 0;
    // depth of a lamp's map runs along its axis: away from it even a face across the ray has a slope
    const cosine = view.perspective ? Math.min(1, w / distance) : 1;
    const slant = (0.75 + radius) * texel * Math.sqrt(1 - cosine * cosine);
    metres =
      0.25 * texel +
      slant +
      1e-5 * (1 + w) +
      (view.perspective ? (step * w * w) / view.depthScale : step / view.depthScale);
  } else {
    const tangent = Math.min(8, sine / Math.max(faceCos, 0.05));
    metres = reading.slopeBias * texel * (0.25 + 0.5 * tangent) + 1e-4;
  }
  if (view.perspective) {
    const wBias = w - metres;
    place.depth = wBias > view.depthScale ? view.depthScale / wBias : 1;
  } else {
    place.depth = m[8] * x + m[9] * y + m[10] * z + m[11] + metres * view.depthScale;
  }
  return true;
}

/** Colours light by the glass it came through: mean of the four texels around, each only where glass is nearer. */
function readGlass(
  memory: ShadowMemory,
  view: ShadowView,
  u: number,
  v: number,
  depth: number,
  out: Float64Array,
): void {
  const n = view.resolution;
  const x = u - 0.5;
  const y = v - 0.5;
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  let [r, g, b] = [0, 0, 0];
  for (let k = 0; k < 4; k++) {
    const cx = x0 + (k & 1);
    const cy = y0 + (k >> 1);
    const weight = ((k & 1) === 1 ? x - x0 : 1 - x + x0) * ((k & 2) === 2 ? y - y0 : 1 - y + y0);
    const i = view.offset + (cy < 0 ? 0 : cy >= n ? n - 1 : cy) * n + (cx < 0 ? 0 : cx >= n ? n - 1 : cx);
    const colour = memory.glassDepth[i] > depth ? memory.glassTint[i] : 0xffffff;
    r += (colour & 255) * weight;
    g += ((colour >> 8) & 255) * weight;
    b += ((colour >> 16) & 255) * weight;
  }
  out[0] *= r / 255;
  out[1] *= g / 255;
  out[2] *= b / 255;
}

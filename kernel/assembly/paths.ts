/**
 * Path tracing of a tile, one sample a pixel at a time, in waves: all rays of a wave are traced, then all hits shaded,
 * then all shadow rays traced (Laine et al. 2013, Megakernels Considered Harmful: Wavefront Path Tracing on GPUs).
 * Twin: core/trace/tracePaths.
 */
import { drawFour, firsts, hashCombine, seconds } from './draws';
import { decay } from './elementary';
import {
  arriveB,
  arriveDensity,
  arriveFromGlow,
  arriveFromLight,
  arriveFromSurroundings,
  arriveG,
  arriveR,
  casts,
  chanceOf,
  chooseEmitter,
  distance,
  glowDensityOf,
  glowsBothWays,
  hasExtent,
  lightCount,
  meetLight,
  meetSurroundings,
  shellOf,
  toX,
  toY,
  toZ,
  weighEmitters,
} from './emitters';
import * as O from './layouts/pathOrder';
import {
  P_CLAMPED,
  P_COLOR,
  P_COUNT,
  P_COVERED,
  P_LIGHT,
  P_LIT,
  P_NORMAL,
  P_SQUARE,
  PATH_SUM_BYTES,
} from './layouts/pathSums';
import { ALPHA_BLEND, M_ABSORPTION, M_ALPHA_MODE, M_IOR, M_THICKNESS, ALPHA_MASK, materialOf } from './materialAt';
import {
  add3,
  BRINGS_GLOSS,
  BRINGS_MATTE,
  BRINGS_SPLIT,
  CARRIED,
  CROSSED,
  d,
  DENSITY,
  DEPTH_OF_PATH,
  DIRECTION,
  ENDING,
  FOOTPRINT,
  FROM,
  FROM_FACE,
  GATHERED,
  GLOSS_COUNT,
  HIT_DISTANCE,
  HIT_PLACE,
  HIT_TRIANGLE,
  HIT_U,
  HIT_V,
  HOME,
  HOME_BOUNCE,
  HOME_CLAMPED,
  HOME_EMISSION,
  HOME_LIGHT,
  HOME_LIT,
  HOME_REFLECTION,
  INSIDE,
  LAST,
  LENGTH,
  luminance,
  MATTE_COUNT,
  OF_PATH,
  ORIGIN,
  PATH_BYTES,
  PIXEL,
  put3,
  SCATTERED,
  SEEN,
  SHADOW_BYTES,
  SKY_USE,
  SPLIT,
  SPREAD,
  THROUGH_COUNT,
  TO,
  TO_LIGHT,
} from './pathRecord';
import {
  alpha,
  blunt,
  diffuseB,
  diffuseG,
  diffuseR,
  emissionB,
  emissionG,
  emissionR,
  front,
  fx,
  fy,
  fz,
  material,
  mirroredB,
  mirroredG,
  mirroredR,
  nx,
  ny,
  nz,
  opaque,
  px,
  py,
  pz,
  reflectance,
  roughness,
  surfaceOf,
  transmission,
  vx,
  vy,
  vz,
} from './pathSurface';
import { closest, meetTriangle, metDistance, metU, metV, reached } from './rays';
import {
  asked,
  evaluateScatter,
  glossB,
  glossG,
  glossR,
  goX,
  goY,
  goZ,
  matteB,
  matteG,
  matteR,
  sampleScatter,
  scatterDensity,
  takeGlass,
  WENT_NOWHERE,
  WENT_REFLECTED,
  WENT_STRAIGHT,
} from './scatter';
import { f, triangleInstance } from './scenery';
import { passesCutout } from './seeThrough';
import { litB, litG, litR, stepOff, traceShadow, triangleAt } from './shadowRay';

/** Pixels along a block that stops as one. */
const BLOCK: i32 = 8;
/** Steps of the filter's table. */
const STEPS: i32 = 256;
/** Random number pairs a surface takes: for choices, the emitter, the scattering, its end. */
const PAIRS: i32 = 4;
/** Thin sheets smoother than this let light straight through. */
const STRAIGHT_ALPHA: f64 = 0.01;
/** GGX width that mirrors have at least for light on its way to a matte surface (Kaplanyan & Dachsbacher 2013). */
const BLUNT: f64 = 0.25;

let paths: usize = 0;
let shadows: usize = 0;
/** Numbers of the paths in flight, 32 bits each. */
let active: usize = 0;
/** The picture's arrays. */
let sums: usize = 0;
let done: usize = 0;
let depth: usize = 0;
let normal: usize = 0;
let objectId: usize = 0;
let filter: usize = 0;
let width: i32 = 0;
let seed: i32 = 0;
/** A single sample lies in the pixel's middle. */
let single: bool = false;
let filterRadius: f64 = 0;
/** Origin, forward, base, right, down of the rays: three doubles each. */
let rays: usize = 0;
let perspective: bool = true;
/** Metres at which everything is sharp; 0 for a pinhole. */
let focus: f64 = 0;
let mostScatterings: i32 = 0;
let mostMatte: i32 = 0;
let mostGloss: i32 = 0;
let mostThrough: i32 = 0;
let roulette: i32 = 0;
let clampAt: f64 = Infinity;
let caustics: bool = false;
let sky: bool = false;
let skyForCamera: f64 = 0;
let skyForMatte: f64 = 0;
let skyForGloss: f64 = 0;

/** The sample that is added. */
let first: bool = false;
let drawn: i32 = 0;

/** Where the lens is passed, metres to the right and up: written by the caller. */
let lensRight: f64 = 0;
let lensUp: f64 = 0;

/** The caller's: draws a place of the lens and calls `setLens`. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "drawLens")
declare function drawLens(sample: u32, seed: u32): void;

/** The caller's: see core/trace/glassEnergy, of solid glass. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "solidBoost")
declare function solidBoost(ior: f64, entering: i32, roughness: f64, cosine: f64): f64;

export function setLens(right: f64, up: f64): void {
  lensRight = right;
  lensUp = up;
}

/** @param at see the layout pathOrder */
export function bindPaths(at: usize): void {
  paths = <usize>d(at + O.PATHS);
  shadows = <usize>d(at + O.SHADOWS);
  active = <usize>d(at + O.ACTIVE);
  sums = <usize>d(at + O.SUMS);
  done = <usize>d(at + O.DONE);
  depth = <usize>d(at + O.DEPTH);
  normal = <usize>d(at + O.NORMAL);
  objectId = <usize>d(at + O.OBJECT_ID);
  filter = <usize>d(at + O.FILTER);
  width = <i32>d(at + O.WIDTH);
  seed = <i32>(<u32>d(at + O.SEED));
  single = d(at + O.SINGLE) != 0;
  filterRadius = d(at + O.FILTER_RADIUS);
  perspective = d(at + O.PERSPECTIVE) != 0;
  focus = d(at + O.FOCUS);
  mostScatterings = <i32>d(at + O.MOST_SCATTERINGS);
  mostMatte = <i32>d(at + O.MOST_MATTE);
  mostGloss = <i32>d(at + O.MOST_GLOSS);
  mostThrough = <i32>d(at + O.MOST_THROUGH);
  roulette = <i32>d(at + O.ROULETTE);
  clampAt = d(at + O.CLAMP);
  caustics = d(at + O.CAUSTICS) != 0;
  sky = d(at + O.SKY) != 0;
  skyForCamera = d(at + O.SKY_FOR_CAMERA);
  skyForMatte = d(at + O.SKY_FOR_MATTE);
  skyForGloss = d(at + O.SKY_FOR_GLOSS);
  rays = at + O.RAYS;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function ray(which: usize, k: usize): f64 {
  return d(rays + which * 24 + k);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function count(p: usize, which: usize): i32 {
  return <i32>load<u8>(p + which);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function pathOf(k: i32): usize {
  return paths + <usize>load<u32>(active + (<usize>k << 2)) * PATH_BYTES;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function throughFilter(u: f64): f64 {
  const p = u * <f64>STEPS;
  const i = <i32>p;
  const at = filter + (<usize>i << 3);
  return 0.5 + filterRadius * (d(at) + (d(at + 8) - d(at)) * (p - <f64>i));
}

/** Camera rays of a tile. @param sample its number in the frame @param drawn_ and in the pattern @returns how many */
export function startPaths(x0: i32, y0: i32, x1: i32, y1: i32, sample: i32, drawn_: u32): i32 {
  first = sample == 0;
  drawn = <i32>drawn_;
  return start(x0, y0, x1, y1, single, focus);
}

/** Depth, normals and objects of a tile as seen through the middles of the lens and of the pixels. */
export function lookThroughMiddle(x0: i32, y0: i32, x1: i32, y1: i32): void {
  first = true;
  const inFlight = start(x0, y0, x1, y1, true, 0);
  intersectPaths(inFlight);
  for (let a = 0; a < inFlight; a++) {
    const p = pathOf(a);
    if (load<i32>(p, HIT_TRIANGLE) < 0) continue;
    surfaceOf(p);
    writeGeometry(p);
  }
}

/** @param middle rays go through the middles of pixels @param sharpAt metres at which a lens is sharp; 0 for a pinhole */
function start(x0: i32, y0: i32, x1: i32, y1: i32, middle: bool, sharpAt: f64): i32 {
  const across = (width + BLOCK - 1) / BLOCK;
  const step = sqrt<f64>(ray(3, 0) * ray(3, 0) + ray(3, 8) * ray(3, 8) + ray(3, 16) * ray(3, 16));
  let n = 0;
  for (let y = y0; y < y1; y++) {
    for (let x = x0; x < x1; x++) {
      if (load<u8>(done + <usize>((y / BLOCK) * across + x / BLOCK)) == 1) continue;
      const at = y * width + x;
      const p = paths + <usize>n * PATH_BYTES;
      memory.fill(p, 0, PATH_BYTES);
      store<i32>(active + (<usize>n << 2), n);
      n++;
      store<i32>(p, at, PIXEL);
      const own = hashCombine(seed, at);
      let qx = <f64>x + 0.5;
      let qy = <f64>y + 0.5;
      if (!middle) {
        drawFour(drawn, own);
        qx = <f64>x + throughFilter(<f64>f32x4.extract_lane(firsts, 0));
        qy = <f64>y + throughFilter(<f64>f32x4.extract_lane(seconds, 0));
      }
      let right: f64 = 0;
      let up: f64 = 0;
      if (sharpAt > 0) {
        drawLens(<u32>drawn, <u32>own);
        right = lensRight;
        up = lensUp;
      }
      for (let k: usize = 0; k < 24; k += 8) {
        const seen = ray(2, k) + qx * ray(3, k) + qy * ray(4, k);
        let from = perspective ? ray(0, k) : seen;
        let to = perspective ? seen : ray(1, k);
        if (sharpAt > 0) {
          // one pixel's step to the right and down, turned into metres on the lens
          const aside = (ray(3, k) * right - ray(4, k) * up) / step;
          from += aside;
          to -= aside / sharpAt;
        }
        store<f64>(p + k, from, ORIGIN);
        store<f64>(p + k, to, DIRECTION);
        store<f64>(p + k, 1, CARRIED);
        store<f64>(p + k, skyForCamera, SKY_USE);
      }
      const dx = d(p + DIRECTION);
      const dy = d(p + DIRECTION + 8);
      const dz = d(p + DIRECTION + 16);
      const l = sqrt<f64>(dx * dx + dy * dy + dz * dz);
      put3(p + DIRECTION, dx / l, dy / l, dz / l);
      store<f64>(p, perspective ? 0 : step, FOOTPRINT);
      store<f64>(p, perspective ? step / l : 0, SPREAD);
      if (!first) continue;
      memory.fill(sums + <usize>at * PATH_SUM_BYTES, 0, PATH_SUM_BYTES);
      if (sharpAt > 0) continue;
      store<f32>(depth + (<usize>at << 2), 0);
      store<u32>(objectId + (<usize>at << 2), 0);
      memory.fill(normal + <usize>at * 12, 0, 12);
    }
  }
  return n;
}

/** Nearest hits of the paths in flight. */
export function intersectPaths(inFlight: i32): void {
  for (let a = 0; a < inFlight; a++) {
    const p = pathOf(a);
    const ox = d(p + ORIGIN);
    const oy = d(p + ORIGIN + 8);
    const oz = d(p + ORIGIN + 16);
    const dx = d(p + DIRECTION);
    const dy = d(p + DIRECTION + 8);
    const dz = d(p + DIRECTION + 16);
    const byCamera = load<u8>(p, SCATTERED) == 0 ? 1 : 0;
    let behind: f64 = 0;
    store<i32>(p, -1, HIT_TRIANGLE);
    store<f64>(p, Infinity, HIT_DISTANCE);
    for (;;) {
      const place = closest(ox, oy, oz, dx, dy, dz, behind, Infinity, byCamera);
      if (place < 0) break;
      behind = reached();
      meetTriangle(place, ox, oy, oz, dx, dy, dz);
      // 32 bits may take a ray in that passes a hair outside
      const u = min<f64>(1, max<f64>(0, metU));
      const v = min<f64>(1 - u, max<f64>(0, metV));
      const t = triangleAt(place);
      if (load<f32>(materialOf(t), M_ALPHA_MODE) == ALPHA_MASK && !passesCutout(t, u, v)) continue;
      store<f64>(p, u, HIT_U);
      store<f64>(p, v, HIT_V);
      store<f64>(p, metDistance, HIT_DISTANCE);
      store<i32>(p, t, HIT_TRIANGLE);
      store<i32>(p, place, HIT_PLACE);
      break;
    }
  }
}

/** Shadow rays that `shadePaths` prepared. */
let shadowCount: i32 = 0;

/** Shades the hits of the paths in flight. @returns how many go on */
export function shadePaths(inFlight: i32): i32 {
  shadowCount = 0;
  let next = 0;
  for (let a = 0; a < inFlight; a++) {
    const number = load<u32>(active + (<usize>a << 2));
    const p = paths + <usize>number * PATH_BYTES;
    if (!shadeHit(p, number)) continue;
    store<u32>(active + (<usize>next << 2), number);
    next++;
  }
  return next;
}

/** @returns whether the path goes on */
function shadeHit(p: usize, number: u32): bool {
  const far = d(p + HIT_DISTANCE);
  const inR = d(p + INSIDE);
  const inG = d(p + INSIDE + 8);
  const inB = d(p + INSIDE + 16);
  if (inR + inG + inB > 0 && far != Infinity) tint(p, decay(-inR * far), decay(-inG * far), decay(-inB * far));
  meetExtended(p);
  if (load<i32>(p, HIT_TRIANGLE) < 0) {
    meetSky(p);
    return false;
  }
  surfaceOf(p);
  meetGlow(p);
  const m = material;
  const before = count(p, SCATTERED);
  const through = count(p, THROUGH_COUNT);
  const own = hashCombine(hashCombine(seed, load<i32>(p, PIXEL)), (before + through * 64 + 1) * PAIRS);
  if (before == 0 && through == 0) firstSeen(p);
  // for choices, the emitter, the scattering and the end: a pair each
  drawFour(drawn, own);
  const numbers = firsts;
  const others = seconds;
  let choose = <f64>f32x4.extract_lane(others, 0);
  if (load<f32>(m, M_ALPHA_MODE) == ALPHA_BLEND) {
    const opacity = min<f64>(1, max<f64>(0, opaque));
    if (choose >= opacity) {
      if (!passes(p)) return false;
      goOn(p, d(p + DIRECTION), d(p + DIRECTION + 8), d(p + DIRECTION + 16), -1);
      return true;
    }
    choose /= opacity;
  }
  if (load<u8>(p, ENDING) == 1) return false;
  const glass = transmission > 0;
  const solid = glass && f(m + M_THICKNESS) > 0;
  const ior = f(m + M_IOR);
  let boost: f64 = 1;
  if (glass) {
    const facing = nx * vx + ny * vy + nz * vz;
    if (solid) boost = solidBoost(ior, front ? 1 : 0, roughness, facing);
    else {
      const both = reflectance(roughness, facing);
      boost = 1 / (f64x2.extract_lane(both, 0) + f64x2.extract_lane(both, 1));
    }
  }
  const straight = !solid && alpha <= STRAIGHT_ALPHA;
  // a smooth mirror seen by a matte surface would find small lamps once in thousands of paths, as lone bright dots
  if (!caustics && load<u8>(p, MATTE_COUNT) > 0) blunt(BLUNT);
  takeGlass(solid, ior, front, straight, boost);
  const enclosed = solid && !front;
  if (before == 0) writeColor(p);
  if (!enclosed)
    askEmitter(
      p,
      number,
      <f64>f32x4.extract_lane(numbers, 0),
      <f64>f32x4.extract_lane(numbers, 1),
      <f64>f32x4.extract_lane(others, 1),
    );
  const went = sampleScatter(choose, <f64>f32x4.extract_lane(numbers, 2), <f64>f32x4.extract_lane(others, 2));
  if (went == WENT_NOWHERE) return false;
  if (went == WENT_REFLECTED) {
    if (!scatterOn(p, enclosed)) return false;
  } else {
    if (!passes(p)) return false;
    tint(p, glossR, glossG, glossB);
    if (went != WENT_STRAIGHT) {
      store<f64>(p, 0, DENSITY);
      store<u8>(p, before > 0 && !caustics ? 1 : 0, GATHERED);
    }
    if (solid) {
      if (front) put3(p + INSIDE, f(m + M_ABSORPTION), f(m + M_ABSORPTION + 4), f(m + M_ABSORPTION + 8));
      else put3(p + INSIDE, 0, 0, 0);
    }
    goOn(p, goX, goY, goZ, -1);
  }
  if (count(p, SCATTERED) + count(p, THROUGH_COUNT) > roulette && load<u8>(p, ENDING) == 0) {
    const stay = min<f64>(0.95, max<f64>(max<f64>(d(p + CARRIED), d(p + CARRIED + 8)), d(p + CARRIED + 16)));
    if (<f64>f32x4.extract_lane(numbers, 3) >= stay) return false;
    const more = 1 / stay;
    tint(p, more, more, more);
  }
  return true;
}

/** Multiplies what a path carries. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function tint(p: usize, r: f64, g: f64, b: f64): void {
  put3(p + CARRIED, d(p + CARRIED) * r, d(p + CARRIED + 8) * g, d(p + CARRIED + 16) * b);
}

/** Counts a face of glass. @returns false when the path has crossed enough of them */
function passes(p: usize): bool {
  store<u8>(p, 1, CROSSED);
  const faces = count(p, THROUGH_COUNT) + 1;
  store<u8>(p, <u8>faces, THROUGH_COUNT);
  return faces <= mostThrough;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function matteShare(matte: f64, gloss: f64): f64 {
  return matte + gloss > 0 ? matte / (matte + gloss) : 0;
}

/** Goes on as mirrored or matte. @returns false when nothing is carried any more */
function scatterOn(p: usize, enclosed: bool): bool {
  const shareR = matteShare(matteR, glossR);
  const shareG = matteShare(matteG, glossG);
  const shareB = matteShare(matteB, glossB);
  tint(
    p,
    (matteR + glossR) / scatterDensity,
    (matteG + glossG) / scatterDensity,
    (matteB + glossB) / scatterDensity,
  );
  if (!enclosed) {
    const more = skyForMatte - skyForGloss;
    put3(p + SKY_USE, skyForGloss + more * shareR, skyForGloss + more * shareG, skyForGloss + more * shareB);
    if (count(p, SCATTERED) == 0) put3(p + SPLIT, shareR, shareG, shareB);
  }
  if (!(d(p + CARRIED) + d(p + CARRIED + 8) + d(p + CARRIED + 16) > 0)) return false;
  if (enclosed) {
    // inside glass no emitter was asked: whatever the path meets counts whole
    store<f64>(p, 0, DENSITY);
    goOn(p, goX, goY, goZ, 1);
    return passes(p);
  }
  const kind = matteR + matteG + matteB > glossR + glossG + glossB ? MATTE_COUNT : GLOSS_COUNT;
  store<u8>(p + kind, <u8>(count(p, kind) + 1));
  store<u8>(p, <u8>(count(p, SCATTERED) + 1), SCATTERED);
  if (count(p, SCATTERED) > mostScatterings || count(p, MATTE_COUNT) > mostMatte || count(p, GLOSS_COUNT) > mostGloss)
    store<u8>(p, 1, ENDING);
  store<f64>(p, asked ? scatterDensity : 0, DENSITY);
  store<u8>(p, 0, CROSSED);
  store<u8>(p, 0, GATHERED);
  put3(p + LAST, px, py, pz);
  // how fast the ray's footprint grows: by the width of the lobe it was drawn from
  store<f64>(p, min<f64>(1, d(p + SPREAD) + sqrt<f64>(1 / (scatterDensity + 1e-9)) * 0.1), SPREAD);
  goOn(p, goX, goY, goZ, 1);
  return true;
}

/** Sets the path on its way from the surface. @param side 1 on the side of the viewer, −1 on the other */
function goOn(p: usize, x: f64, y: f64, z: f64, side: f64): void {
  const off = stepOff(px, py, pz) * side;
  put3(p + ORIGIN, px + fx * off, py + fy * off, pz + fz * off);
  put3(p + DIRECTION, x, y, z);
  store<f64>(p, d(p + FOOTPRINT) + d(p + SPREAD) * d(p + HIT_DISTANCE), FOOTPRINT);
}

/** Next-event estimation: prepares the shadow ray to a point drawn on an emitter, where there is one. */
function askEmitter(p: usize, number: u32, choose: f64, u: f64, v: f64): void {
  if (!weighEmitters(px, py, pz)) return;
  const chosen = chooseEmitter(choose);
  const chance = chanceOf(chosen);
  let shell: f64 = 0;
  let shadowed = true;
  if (chosen < lightCount) {
    if (!arriveFromLight(chosen, px, py, pz, u, v)) return;
    shell = shellOf(chosen);
    shadowed = casts(chosen);
  } else if (chosen == lightCount) arriveFromSurroundings(px, py, pz, u, v);
  else if (!arriveFromGlow(choose, u, v, px, py, pz)) return;
  if (!evaluateScatter(toX, toY, toZ)) return;
  const own = arriveDensity * chance;
  // lights without extent are met by no ray: all weight is here
  const weight = own == 0 ? 1 / chance : own / (own * own + scatterDensity * scatterDensity);
  const r = d(p + CARRIED) * arriveR * weight;
  const g = d(p + CARRIED + 8) * arriveG * weight;
  const b = d(p + CARRIED + 16) * arriveB * weight;
  const toMatte = chosen == lightCount ? skyForMatte : 1;
  const toGloss = chosen == lightCount ? skyForGloss : 1;
  const s = shadows + <usize>shadowCount * SHADOW_BYTES;
  put3(s + BRINGS_MATTE, matteR * r * toMatte, matteG * g * toMatte, matteB * b * toMatte);
  put3(s + BRINGS_GLOSS, glossR * r * toGloss, glossG * g * toGloss, glossB * b * toGloss);
  let all: f64 = 0;
  for (let k: usize = 0; k < 48; k += 8) all += abs<f64>(d(s + BRINGS_MATTE + k));
  if (!(all > 0)) return;
  put3(s + FROM, px, py, pz);
  put3(s + FROM_FACE, fx, fy, fz);
  put3(s + TO, toX, toY, toZ);
  store<f64>(s, shadowed ? (chosen > lightCount ? distance * 0.9999 : distance - shell) : 0, LENGTH);
  put3(s + BRINGS_SPLIT, d(p + SPLIT), d(p + SPLIT + 8), d(p + SPLIT + 16));
  const before = count(p, SCATTERED);
  store<u32>(s, number, OF_PATH);
  store<u8>(s, chosen < lightCount && before == 0 ? 1 : 0, TO_LIGHT);
  store<u8>(s, <u8>before, DEPTH_OF_PATH);
  shadowCount++;
}

/** Traces the shadow rays of a wave and books what they bring. */
export function occludePaths(): void {
  for (let k = 0; k < shadowCount; k++) {
    const s = shadows + <usize>k * SHADOW_BYTES;
    const p = paths + <usize>load<u32>(s, OF_PATH) * PATH_BYTES;
    let r: f64 = 1;
    let g: f64 = 1;
    let b: f64 = 1;
    if (d(s + LENGTH) > 0) {
      traceShadow(s);
      r = litR;
      g = litG;
      b = litB;
    }
    const matteR = d(s + BRINGS_MATTE);
    const matteG = d(s + BRINGS_MATTE + 8);
    const matteB = d(s + BRINGS_MATTE + 16);
    const glossR = d(s + BRINGS_GLOSS);
    const glossG = d(s + BRINGS_GLOSS + 8);
    const glossB = d(s + BRINGS_GLOSS + 16);
    if (load<u8>(s, TO_LIGHT) == 1) {
      const allR = matteR + glossR;
      const allG = matteG + glossG;
      const allB = matteB + glossB;
      add3(p + HOME, allR * r, allG * g, allB * b);
      store<f64>(p, d(p + HOME_LIGHT) + abs<f64>(allR) + abs<f64>(allG) + abs<f64>(allB), HOME_LIGHT);
      store<f64>(p, d(p + HOME_LIT) + abs<f64>(allR) * r + abs<f64>(allG) * g + abs<f64>(allB) * b, HOME_LIT);
      continue;
    }
    if (load<u8>(s, DEPTH_OF_PATH) == 0) {
      add3(p + HOME_BOUNCE, matteR * r, matteG * g, matteB * b);
      add3(p + HOME_REFLECTION, glossR * r, glossG * g, glossB * b);
      continue;
    }
    const keep = clamped(p, luminance((matteR + glossR) * r, (matteG + glossG) * g, (matteB + glossB) * b));
    bounce(p, s + BRINGS_SPLIT, (matteR + glossR) * r * keep, (matteG + glossG) * g * keep, (matteB + glossB) * b * keep);
  }
}

/** Books indirect light by what was matte of the first scattering. */
function bounce(p: usize, split: usize, r: f64, g: f64, b: f64): void {
  const shareR = d(split);
  const shareG = d(split + 8);
  const shareB = d(split + 16);
  add3(p + HOME_BOUNCE, r * shareR, g * shareG, b * shareB);
  add3(p + HOME_REFLECTION, r * (1 - shareR), g * (1 - shareG), b * (1 - shareB));
}

/** Share of indirect light of a luminance that the firefly clamp leaves. */
function clamped(p: usize, l: f64): f64 {
  const size = abs<f64>(l);
  if (size <= clampAt) return 1;
  store<f64>(p, d(p + HOME_CLAMPED) + size - clampAt, HOME_CLAMPED);
  return clampAt / size;
}

/** Lamps that the ray crosses: they are not drawn, but mirrors and matte surfaces receive their light. */
function meetExtended(p: usize): void {
  if (load<u8>(p, SCATTERED) == 0 || load<u8>(p, GATHERED) == 1) return;
  const dx = d(p + DIRECTION);
  const dy = d(p + DIRECTION + 8);
  const dz = d(p + DIRECTION + 16);
  for (let i = 0; i < lightCount; i++) {
    if (!hasExtent(i)) continue;
    const limit: f64 = casts(i) ? d(p + HIT_DISTANCE) : Infinity;
    if (!meetLight(i, d(p + ORIGIN), d(p + ORIGIN + 8), d(p + ORIGIN + 16), dx, dy, dz, limit)) continue;
    // a density belongs to the place that asked, which panes may have left behind
    if (load<u8>(p, CROSSED) == 1 && d(p + DENSITY) > 0)
      meetLight(i, d(p + LAST), d(p + LAST + 8), d(p + LAST + 16), dx, dy, dz, Infinity);
    receive(p, arriveDensity, i, arriveR, arriveG, arriveB);
  }
}

function meetSky(p: usize): void {
  if (!sky || load<u8>(p, GATHERED) == 1) return;
  const drawable = d(p + DENSITY) > 0;
  meetSurroundings(
    d(p + LAST),
    d(p + LAST + 8),
    d(p + LAST + 16),
    d(p + DIRECTION),
    d(p + DIRECTION + 8),
    d(p + DIRECTION + 16),
    drawable,
  );
  receive(
    p,
    drawable ? arriveDensity : 0,
    lightCount,
    arriveR * d(p + SKY_USE),
    arriveG * d(p + SKY_USE + 8),
    arriveB * d(p + SKY_USE + 16),
  );
}

/** Light of the surface itself. */
function meetGlow(p: usize): void {
  if (emissionR + emissionG + emissionB == 0 || load<u8>(p, GATHERED) == 1) return;
  if (!front && !glowsBothWays(material)) return;
  let density: f64 = 0;
  const c = fx * vx + fy * vy + fz * vz;
  if (d(p + DENSITY) > 0 && c > 0) {
    // the ray may have crossed panes since it scattered
    const x = px - d(p + LAST);
    const y = py - d(p + LAST + 8);
    const z = pz - d(p + LAST + 16);
    density = (glowDensityOf(load<i32>(p, HIT_TRIANGLE)) * (x * x + y * y + z * z)) / c;
  }
  receive(p, density, lightCount + 1, emissionR, emissionG, emissionB);
}

/**
 * Books light that a ray met by chance, weighted against the chance of having been asked for it (power heuristic).
 * @param density with which the emitter would have drawn this place; 0 when it cannot
 */
function receive(p: usize, density: f64, emitter: i32, r: f64, g: f64, b: f64): void {
  const own = d(p + DENSITY);
  let weight: f64 = 1;
  if (own > 0 && density > 0 && weighEmitters(d(p + LAST), d(p + LAST + 8), d(p + LAST + 16))) {
    const asking = density * chanceOf(emitter);
    weight = (own * own) / (own * own + asking * asking);
  }
  const x = d(p + CARRIED) * r * weight;
  const y = d(p + CARRIED + 8) * g * weight;
  const z = d(p + CARRIED + 16) * b * weight;
  const before = count(p, SCATTERED);
  if (before == 0) {
    add3(p + HOME_EMISSION, x, y, z);
    return;
  }
  if (before == 1 && emitter < lightCount) {
    add3(p + HOME, x, y, z);
    const all = abs<f64>(x) + abs<f64>(y) + abs<f64>(z);
    store<f64>(p, d(p + HOME_LIGHT) + all, HOME_LIGHT);
    store<f64>(p, d(p + HOME_LIT) + all, HOME_LIT);
    return;
  }
  const keep = before > 1 ? clamped(p, luminance(x, y, z)) : 1;
  bounce(p, p + SPLIT, x * keep, y * keep, z * keep);
}

/** What the camera sees. */
function firstSeen(p: usize): void {
  const at = <usize>load<u32>(p, PIXEL);
  const o = sums + at * PATH_SUM_BYTES;
  store<f32>(o, load<f32>(o, P_COVERED) + 1, P_COVERED);
  if (first && focus == 0) writeGeometry(p);
}

function writeGeometry(p: usize): void {
  const at = <usize>load<u32>(p, PIXEL);
  const along = (px - ray(0, 0)) * ray(1, 0) + (py - ray(0, 8)) * ray(1, 8) + (pz - ray(0, 16)) * ray(1, 16);
  store<f32>(depth + (at << 2), <f32>along);
  store<f32>(normal + at * 12, <f32>nx);
  store<f32>(normal + at * 12, <f32>ny, 4);
  store<f32>(normal + at * 12, <f32>nz, 8);
  const instance = load<u32>(triangleInstance + (<usize>load<u32>(p, HIT_TRIANGLE) << 2));
  store<u32>(objectId + (at << 2), instance + 1);
}

/** What the denoiser divides by and compares: colour and normal of the first surface that is not see-through. */
function writeColor(p: usize): void {
  put3(
    p + SEEN,
    diffuseR * (1 - mirroredR) + mirroredR,
    diffuseG * (1 - mirroredG) + mirroredG,
    diffuseB * (1 - mirroredB) + mirroredB,
  );
  put3(p + SEEN + 24, nx, ny, nz);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function addTo(at: usize, value: f64): void {
  store<f32>(at, <f32>(<f64>load<f32>(at) + value));
}

/** Adds finished paths to their pixels. What is not a number would spoil a pixel for ever and is left out. */
export function bringHome(started: i32): void {
  for (let i = 0; i < started; i++) {
    const p = paths + <usize>i * PATH_BYTES;
    const o = sums + <usize>load<u32>(p, PIXEL) * PATH_SUM_BYTES;
    addTo(o + P_COUNT, 1);
    let r: f64 = 0;
    let g: f64 = 0;
    let b: f64 = 0;
    for (let k: usize = 0; k < 96; k += 24) {
      r += d(p + HOME + k);
      g += d(p + HOME + k + 8);
      b += d(p + HOME + k + 16);
    }
    const l = luminance(r, g, b);
    if (!isFinite<f64>(l)) continue;
    for (let k: usize = 0; k < 12; k++) addTo(o + (k << 2), d(p + HOME + (k << 3)));
    addTo(o + P_LIGHT, d(p + HOME_LIGHT));
    addTo(o + P_LIT, d(p + HOME_LIT));
    addTo(o + P_SQUARE, l * l);
    addTo(o + P_CLAMPED, d(p + HOME_CLAMPED));
    for (let c: usize = 0; c < 3; c++) {
      addTo(o + P_COLOR + (c << 2), d(p + SEEN + (c << 3)));
      addTo(o + P_NORMAL + (c << 2), d(p + SEEN + 24 + (c << 3)));
    }
  }
}

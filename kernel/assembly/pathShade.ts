/** What the hits of a wave do. Twin: core/trace/paths/shadePaths. */
import { drawFour, firsts, hashCombine, seconds } from './draws';
import { decay } from './elementary';
import { ALPHA_BLEND, M_ABSORPTION, M_ALPHA_MODE, M_IOR, M_THICKNESS } from './materialAt';
import { askEmitter, beginWave } from './pathAsk';
import { firstSeen, writeColor } from './pathBook';
import { meetExtended, meetGlow, meetSky } from './pathMeet';
import {
  active,
  caustics,
  count,
  drawn,
  mostGloss,
  mostMatte,
  mostScatterings,
  mostThrough,
  paths,
  roulette,
  seed,
  skyForGloss,
  skyForMatte,
} from './pathOrder';
import {
  CARRIED,
  CROSSED,
  d,
  DENSITY,
  DIRECTION,
  ENDING,
  FOOTPRINT,
  GLOSS_COUNT,
  HIT_DISTANCE,
  HIT_TRIANGLE,
  INSIDE,
  LAST,
  MATTE_COUNT,
  ORIGIN,
  PATH_BYTES,
  PIXEL,
  put3,
  SCATTERED,
  SKY_USE,
  SPLIT,
  SPREAD,
  THROUGH_COUNT,
} from './pathRecord';
import {
  alpha,
  blunt,
  front,
  fx,
  fy,
  fz,
  material,
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
import {
  asked,
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
import { f } from './scenery';
import { stepOff } from './shadowRay';

/** Random number pairs a surface takes: for choices, the emitter, the scattering, its end. */
const PAIRS: i32 = 4;
/** Thin sheets smoother than this let light straight through. */
const STRAIGHT_ALPHA: f64 = 0.01;
/** GGX width that mirrors have at least for light on its way to a matte surface (Kaplanyan & Dachsbacher 2013). */
const BLUNT: f64 = 0.25;

/** The caller's: see core/trace/glassEnergy, of solid glass. */
// @ts-expect-error: a decorator of AssemblyScript
@external("env", "solidBoost")
declare function solidBoost(ior: f64, entering: i32, roughness: f64, cosine: f64): f64;

/** Shades the hits of the paths in flight. @returns how many go on */
export function shadePaths(inFlight: i32): i32 {
  beginWave();
  let next = 0;
  for (let a = 0; a < inFlight; a++) {
    const number = load<u32>(active + ((<usize>a) << 2));
    const p = paths + <usize>number * PATH_BYTES;
    if (!shadeHit(p, number)) continue;
    store<u32>(active + ((<usize>next) << 2), number);
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
  const glass = transmission > 0;
  // a path at its end still goes through glass to the light that it was drawn for, as the rays to emitters do
  const ends = load<u8>(p, ENDING) == 1;
  if (ends && !glass) return false;
  const solid = glass && f(m + M_THICKNESS) > 0;
  const ior = f(m + M_IOR);
  const straight = !solid && alpha <= STRAIGHT_ALPHA;
  // a smooth mirror seen by a matte surface would find small lamps once in thousands of paths, as lone bright dots
  const blunted = !caustics && load<u8>(p, MATTE_COUNT) > 0 && alpha < BLUNT;
  let boost: f64 = 1;
  if (glass) {
    const facing = nx * vx + ny * vy + nz * vz;
    const rough = blunted && !straight ? sqrt<f64>(BLUNT) : roughness;
    if (solid) boost = solidBoost(ior, front ? 1 : 0, rough, facing);
    else {
      const both = reflectance(rough, facing);
      boost = 1 / (f64x2.extract_lane(both, 0) + f64x2.extract_lane(both, 1));
    }
  }
  if (blunted) blunt(BLUNT);
  takeGlass(solid, ior, front, straight, boost);
  const enclosed = solid && !front;
  if (before == 0) writeColor(p);
  if (!enclosed && !ends)
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
    if ((ends && !enclosed) || !scatterOn(p, enclosed)) return false;
  } else {
    if (!passes(p)) return false;
    tint(p, glossR, glossG, glossB);
    if (went != WENT_STRAIGHT && caustics) store<f64>(p, 0, DENSITY);
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
  tint(p, (matteR + glossR) / scatterDensity, (matteG + glossG) / scatterDensity, (matteB + glossB) / scatterDensity);
  if (!enclosed) {
    const more = skyForMatte - skyForGloss;
    put3(p + SKY_USE, skyForGloss + more * shareR, skyForGloss + more * shareG, skyForGloss + more * shareB);
    if (count(p, SCATTERED) == 0) put3(p + SPLIT, shareR, shareG, shareB);
  }
  if (!(d(p + CARRIED) + d(p + CARRIED + 8) + d(p + CARRIED + 16) > 0)) return false;
  if (enclosed) {
    if (caustics) store<f64>(p, 0, DENSITY);
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

/** Hits of a wave: what they glow, what emitter they ask, and where their paths go on. */
import { exp } from '../../math/exact';
import { hashCombine } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import {
  S_ALPHA,
  S_FACE,
  S_NORMAL,
  S_OPACITY,
  S_POSITION,
  S_ROUGHNESS,
  S_TRANSMISSION,
  S_VIEW,
} from '../../raster/surface';
import {
  ALPHA_BLEND,
  MATERIAL_STRIDE,
  M_ABSORPTION,
  M_ALPHA_MODE,
  M_IOR,
  M_THICKNESS,
} from '../../scene/materialTable';
import { seesFront } from '../bvhLayout';
import { glassBoost } from '../glassEnergy';
import {
  R_ASKED,
  R_DENSITY,
  R_DIRECTION,
  R_GLOSS,
  R_MATTE,
  STRAIGHT_ALPHA,
  WENT_NOWHERE,
  WENT_REFLECTED,
  WENT_STRAIGHT,
  sampleScatter,
} from '../scatter';
import { stepOff } from '../traceShadow';
import { askEmitter } from './askEmitter';
import { firstSeen, writeColor } from './bookPaths';
import { meetExtended, meetGlow, meetSky } from './meetLight';
import {
  active,
  carried,
  crossed,
  density,
  direction,
  ending,
  footprint,
  glass,
  glossCount,
  hitDistance,
  hitPlace,
  hitTriangle,
  inside,
  last,
  matteCount,
  origin,
  pair,
  pixel,
  scatter,
  scattered,
  split,
  spread,
  surface,
  throughCount,
  type PathInput,
  useOfSky,
} from './pathState';
import { surfaceAtHit } from './surfaceAtHit';

/** GGX width that mirrors have at least for light on its way to a matte surface (Kaplanyan & Dachsbacher 2013). */
const BLUNT = 0.25;
/** Random number pairs a surface takes. */
const PAIRS = 4;
const [PICKS, LIGHT, SCATTERING, ENDING] = [0, 1, 2, 3];

/**
 * Without caustics rays to emitters cross solid and rough glass in a straight line, while paths are bent: two ways that
 * do not end at the same place, of which each counts by what the power heuristic gives it. What is broad (the sky, a
 * large lamp) mostly comes bent, what is small straight, and neither is lost. With caustics rays to emitters end at such
 * glass, and whatever a path meets beyond it counts whole.
 * @returns numbers of shadow rays and of paths that go on
 */
export function shade(input: PathInput, count: number, sample: number): [number, number] {
  let shadows = 0;
  let next = 0;
  for (let a = 0; a < count; a++) {
    const i = active[a];
    const o = i * 3;
    if (inside[o] + inside[o + 1] + inside[o + 2] > 0 && hitDistance[i] !== Infinity)
      for (let c = 0; c < 3; c++) carried[o + c] *= exp(-inside[o + c] * hitDistance[i]);
    meetExtended(input, i);
    if (hitTriangle[i] < 0) {
      meetSky(input, i);
      continue;
    }
    surfaceAtHit(input, i);
    meetGlow(input, i);
    const t = hitTriangle[i];
    const m = input.surface.scene.triangleMaterial[t] * MATERIAL_STRIDE;
    const { materials } = input.surface.scene;
    const seed = hashCombine(hashCombine(input.seed, pixel[i]), (scattered[i] + throughCount[i] * 64 + 1) * PAIRS);
    if (scattered[i] === 0 && throughCount[i] === 0) firstSeen(input, i, sample);
    const drawn = input.sampleBase + sample;
    sobol2(drawn, seed + PICKS, pair);
    const chooseLight = pair[0];
    let choose = pair[1];
    if (materials[m + M_ALPHA_MODE] === ALPHA_BLEND) {
      const opacity = Math.min(1, Math.max(0, surface[S_OPACITY]));
      if (choose >= opacity) {
        if (!passes(input, i)) continue;
        goOn(i, direction[o], direction[o + 1], direction[o + 2], -1);
        active[next++] = i;
        continue;
      }
      choose /= opacity;
    }
    // a path at its end still goes through glass to the light that it was drawn for, as the rays to emitters do
    const ends = ending[i] === 1;
    if (ends && surface[S_TRANSMISSION] === 0) continue;
    glass.solid = surface[S_TRANSMISSION] > 0 && materials[m + M_THICKNESS] > 0;
    glass.ior = materials[m + M_IOR];
    glass.entering = seesFront(input.bvh, hitPlace[i], direction[o], direction[o + 1], direction[o + 2]);
    glass.straight = !glass.solid && surface[S_ALPHA] <= STRAIGHT_ALPHA;
    // a smooth mirror seen by a matte surface would find small lamps once in thousands of paths, as lone bright dots
    const blunt = !input.limits.caustics && matteCount[i] > 0 && surface[S_ALPHA] < BLUNT;
    if (blunt) surface[S_ALPHA] = BLUNT;
    if (surface[S_TRANSMISSION] > 0) {
      const roughness = blunt && !glass.straight ? Math.sqrt(BLUNT) : surface[S_ROUGHNESS];
      glass.boost = glassBoost(glass.solid, glass.ior, glass.entering, roughness, facing());
    }
    const enclosed = glass.solid && !glass.entering;
    if (scattered[i] === 0) writeColor(i);
    if (!enclosed && !ends) {
      sobol2(drawn, seed + LIGHT, pair);
      if (askEmitter(input, i, chooseLight, pair[0], pair[1], shadows)) shadows++;
    }
    sobol2(drawn, seed + SCATTERING, pair);
    const went = sampleScatter(surface, glass, choose, pair[0], pair[1], scatter);
    if (went === WENT_NOWHERE) continue;
    if (went === WENT_REFLECTED) {
      if ((ends && !enclosed) || !scatterOn(input, i, enclosed)) continue;
    } else {
      if (!passes(input, i)) continue;
      for (let c = 0; c < 3; c++) carried[o + c] *= scatter[R_GLOSS + c];
      if (went !== WENT_STRAIGHT && input.limits.caustics) density[i] = 0;
      if (glass.solid) for (let c = 0; c < 3; c++) inside[o + c] = glass.entering ? materials[m + M_ABSORPTION + c] : 0;
      goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], -1);
    }
    if (scattered[i] + throughCount[i] > input.limits.roulette && ending[i] === 0) {
      sobol2(drawn, seed + ENDING, pair);
      const stay = Math.min(0.95, Math.max(carried[o], carried[o + 1], carried[o + 2]));
      if (pair[0] >= stay) continue;
      for (let c = 0; c < 3; c++) carried[o + c] /= stay;
    }
    active[next++] = i;
  }
  return [shadows, next];
}

/** Cosine between the surface's normal and the view. */
function facing(): number {
  return (
    surface[S_NORMAL] * surface[S_VIEW] +
    surface[S_NORMAL + 1] * surface[S_VIEW + 1] +
    surface[S_NORMAL + 2] * surface[S_VIEW + 2]
  );
}

/** Counts a face of glass. @returns false when the path has crossed enough of them */
function passes(input: PathInput, i: number): boolean {
  crossed[i] = 1;
  return ++throughCount[i] <= input.limits.through;
}

/** Goes on as mirrored or matte. @returns false when nothing is carried any more */
function scatterOn(input: PathInput, i: number, enclosed: boolean): boolean {
  const o = i * 3;
  const { limits } = input;
  const { surroundings } = input.emitters;
  const [toMatte, toGloss] = surroundings ? [surroundings.light, surroundings.reflection] : [0, 0];
  const first = scattered[i] === 0 && !enclosed;
  let matte = 0;
  let gloss = 0;
  for (let c = 0; c < 3; c++) {
    const m = scatter[R_MATTE + c];
    const g = scatter[R_GLOSS + c];
    matte += m;
    gloss += g;
    const share = m + g > 0 ? m / (m + g) : 0;
    carried[o + c] *= (m + g) / scatter[R_DENSITY];
    if (enclosed) continue;
    useOfSky[o + c] = toGloss + (toMatte - toGloss) * share;
    if (first) split[o + c] = share;
  }
  if (!(carried[o] + carried[o + 1] + carried[o + 2] > 0)) return false;
  if (enclosed) {
    if (limits.caustics) density[i] = 0;
    goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], 1);
    return passes(input, i);
  }
  const mostlyMatte = matte > gloss;
  if (mostlyMatte) matteCount[i]++;
  else glossCount[i]++;
  scattered[i]++;
  if (scattered[i] > limits.total || matteCount[i] > limits.matte || glossCount[i] > limits.gloss) ending[i] = 1;
  density[i] = scatter[R_ASKED] === 1 ? scatter[R_DENSITY] : 0;
  crossed[i] = 0;
  for (let k = 0; k < 3; k++) last[o + k] = surface[S_POSITION + k];
  // how fast the ray's footprint grows: by the width of the lobe it was drawn from
  spread[i] = Math.min(1, spread[i] + Math.sqrt(1 / (scatter[R_DENSITY] + 1e-9)) * 0.1);
  goOn(i, scatter[R_DIRECTION], scatter[R_DIRECTION + 1], scatter[R_DIRECTION + 2], 1);
  return true;
}

/** Sets the path on its way from the surface. @param side 1 on the side of the viewer, −1 on the other */
function goOn(i: number, x: number, y: number, z: number, side: number): void {
  const o = i * 3;
  const off = stepOff(surface[S_POSITION], surface[S_POSITION + 1], surface[S_POSITION + 2]) * side;
  for (let k = 0; k < 3; k++) origin[o + k] = surface[S_POSITION + k] + surface[S_FACE + k] * off;
  direction[o] = x;
  direction[o + 1] = y;
  direction[o + 2] = z;
  footprint[i] += spread[i] * hitDistance[i];
}

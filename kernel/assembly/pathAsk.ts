/** Shadow rays to emitters, of a wave. Twin: core/trace/paths/askEmitter. */
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
  lightCount,
  shellOf,
  toX,
  toY,
  toZ,
  weighEmitters,
} from './emitters';
import { count, shadows, skyForGloss, skyForMatte } from './pathOrder';
import {
  BRINGS_GLOSS,
  BRINGS_MATTE,
  BRINGS_SPLIT,
  CARRIED,
  d,
  DEPTH_OF_PATH,
  FROM,
  FROM_FACE,
  LENGTH,
  OF_PATH,
  put3,
  SCATTERED,
  SHADOW_BYTES,
  SPLIT,
  TO,
  TO_LIGHT,
} from './pathRecord';
import { fx, fy, fz, px, py, pz } from './pathSurface';
import { evaluateScatter, glossB, glossG, glossR, matteB, matteG, matteR, scatterDensity } from './scatter';

/** Shadow rays that `shadePaths` prepared. */
export let shadowCount: i32 = 0;

export function beginWave(): void {
  shadowCount = 0;
}

/** Next-event estimation: prepares the shadow ray to a point drawn on an emitter, where there is one. */
export function askEmitter(p: usize, number: u32, choose: f64, u: f64, v: f64): void {
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

/** Next-event estimation: a point on an emitter, and the shadow ray to it. */
import { crossLength, edgeCross } from '../../math/triangle';
import { SURFACE_SIZE, S_EMISSION, S_FACE, S_POSITION, S_VIEW, materialAt } from '../../raster/surface';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  arriveFromLight,
  arriveFromSurroundings,
  chooseEmitter,
  weighEmitters,
} from '../emitters';
import { glowsBothWays, pickTriangle } from '../glowingTriangles';
import { R_DENSITY, R_GLOSS, R_MATTE, evaluateScatter } from '../scatter';
import {
  SHADOW,
  arrival,
  carried,
  corner,
  glass,
  scatter,
  scattered,
  shadow,
  shadowSlot,
  slopes,
  split,
  surface,
  type PathInput,
} from './pathState';

/** Next-event estimation: prepares the shadow ray to a point drawn on an emitter. @returns false when there is none */
export function askEmitter(input: PathInput, i: number, choose: number, u: number, v: number, slot: number): boolean {
  const { emitters } = input;
  const x = surface[S_POSITION];
  const y = surface[S_POSITION + 1];
  const z = surface[S_POSITION + 2];
  if (!weighEmitters(emitters, x, y, z)) return false;
  const chosen = chooseEmitter(emitters, choose);
  const chance = emitters.weights[chosen];
  const lights = emitters.lights.length;
  let shell = 0;
  let casts = true;
  if (chosen < lights) {
    const light = emitters.lights[chosen];
    if (!arriveFromLight(light, x, y, z, u, v, arrival)) return false;
    // the shell of a lamp does not shadow its own light
    shell = Math.max(0.005, light.radius * 0.2);
    casts = light.castsShadow;
  } else if (chosen === lights) arriveFromSurroundings(emitters.surroundings!, x, y, z, u, v, arrival);
  else if (!arriveFromGlow(input, choose, u, v)) return false;
  if (!evaluateScatter(surface, glass, arrival[0], arrival[1], arrival[2], scatter)) return false;
  const own = arrival[A_DENSITY] * chance;
  // lights without extent are met by no ray: all weight is here
  const weight = own === 0 ? 1 / chance : own / (own * own + scatter[R_DENSITY] * scatter[R_DENSITY]);
  const s = slot * SHADOW;
  const o = i * 3;
  shadowSlot[slot] = i;
  shadow[s] = x;
  shadow[s + 1] = y;
  shadow[s + 2] = z;
  for (let k = 0; k < 3; k++) shadow[s + 3 + k] = surface[S_FACE + k];
  for (let k = 0; k < 3; k++) shadow[s + 6 + k] = arrival[k];
  const distance = arrival[A_DISTANCE];
  shadow[s + 9] = chosen > lights ? distance * 0.9999 : distance - shell;
  if (!casts) shadow[s + 9] = 0;
  const sky = chosen === lights ? emitters.surroundings! : null;
  let all = 0;
  for (let c = 0; c < 3; c++) {
    const k = carried[o + c] * arrival[A_RADIANCE + c] * weight;
    const matte = scatter[R_MATTE + c] * k * (sky ? sky.light : 1);
    const gloss = scatter[R_GLOSS + c] * k * (sky ? sky.reflection : 1);
    shadow[s + 10 + c] = matte;
    shadow[s + 13 + c] = gloss;
    all += Math.abs(matte) + Math.abs(gloss);
  }
  shadow[s + 16] = chosen < lights && scattered[i] === 0 ? 1 : 0;
  shadow[s + 17] = scattered[i];
  for (let c = 0; c < 3; c++) shadow[s + 18 + c] = split[o + c];
  return all > 0;
}

/** Draws a point of a glowing triangle. The choice of emitter leaves no even number over, so the triangle has its own. */
function arriveFromGlow(input: PathInput, choose: number, u: number, v: number): boolean {
  const { scene, posed } = input.surface;
  const g = input.emitters.glowing!;
  const w = input.emitters.weights;
  const t = pickTriangle(g, Math.min(0.9999999, Math.max(0, 1 - (1 - choose) / w[w.length - 1])));
  const root = Math.sqrt(u);
  const b1 = root * (1 - v);
  const b2 = root * v;
  const b0 = 1 - root;
  const P = posed.positions;
  const i0 = scene.triangles[t * 3] * 3;
  const i1 = scene.triangles[t * 3 + 1] * 3;
  const i2 = scene.triangles[t * 3 + 2] * 3;
  for (let k = 0; k < 3; k++) corner[k] = P[i0 + k] * b0 + P[i1 + k] * b1 + P[i2 + k] * b2 - surface[S_POSITION + k];
  const d2 = corner[0] ** 2 + corner[1] ** 2 + corner[2] ** 2;
  if (d2 === 0) return false;
  const d = Math.sqrt(d2);
  for (let k = 0; k < 3; k++) arrival[k] = corner[k] / d;
  const c = faceCosine(P, i0, i1, i2, arrival);
  if (c === 0 || (c > 0 && !glowsBothWays(scene, scene.triangleMaterial[t]))) return false;
  arrival[A_DISTANCE] = d;
  arrival[A_DENSITY] = (g.density[scene.triangleMaterial[t]] * d2) / Math.abs(c);
  glow.set(surface);
  glowAt(input, t, b1, b2, c < 0 ? 1 : -1, arrival);
  return true;
}

/** A surface record for what glows, so that the one being shaded stays. */
const glow = new Float64Array(SURFACE_SIZE);

function glowAt(input: PathInput, t: number, b1: number, b2: number, side: number, toward: Float64Array): void {
  for (let k = 0; k < 3; k++) glow[S_VIEW + k] = -toward[k];
  slopes.fill(0);
  materialAt(input.surface, t, side, false, b1, b2, slopes, glow);
  for (let c = 0; c < 3; c++) arrival[A_RADIANCE + c] = glow[S_EMISSION + c];
}

const face = new Float64Array(3);

/** Cosine between a direction and the front of a triangle. */
function faceCosine(P: Float32Array, i0: number, i1: number, i2: number, d: Float64Array): number {
  edgeCross(P, i0, i1, i2, face);
  const l = crossLength(face);
  return l > 0 ? (d[0] * face[0] + d[1] * face[1] + d[2] * face[2]) / l : 0;
}

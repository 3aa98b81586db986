/** Next-event estimation: a point on an emitter, and the shadow ray to it. */
import { S_FACE, S_POSITION } from '../../raster/surface';
import {
  A_DENSITY,
  A_DISTANCE,
  A_RADIANCE,
  arriveFromLight,
  arriveFromSurroundings,
  chooseEmitter,
  weighEmitters,
} from '../emitters';
import { R_DENSITY, R_GLOSS, R_MATTE, evaluateScatter } from '../scatter';
import { arriveFromGlow, SHORT_OF_GLOW } from './glowArrival';
import {
  SHADOW,
  arrival,
  carried,
  glass,
  scatter,
  scattered,
  shadow,
  shadowSlot,
  split,
  surface,
  type PathInput,
} from './pathState';

const asking = { x: 0, y: 0, z: 0 };

/** Next-event estimation: prepares the shadow ray to a point drawn on an emitter. @returns false when there is none */
export function askEmitter(input: PathInput, i: number, choose: number, u: number, v: number, slot: number): boolean {
  const { emitters } = input;
  const x = surface[S_POSITION];
  const y = surface[S_POSITION + 1];
  const z = surface[S_POSITION + 2];
  if (!weighEmitters(emitters, x, y, z)) return false;
  asking.x = x;
  asking.y = y;
  asking.z = z;
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
  else if (!arriveFromGlow(input, asking, ownNumber(choose, emitters.weights), u, v, arrival)) return false;
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
  shadow[s + 9] = chosen > lights ? distance * SHORT_OF_GLOW : distance - shell;
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

/** The choice of emitter leaves no even number over, so the triangle has its own. */
function ownNumber(choose: number, weights: Float64Array): number {
  return Math.min(0.9999999, Math.max(0, 1 - (1 - choose) / weights[weights.length - 1]));
}

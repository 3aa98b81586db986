/** Light that a path meets by chance: lamps, surroundings and glowing surfaces. */
import { luminance } from '../../math/color';
import { S_EMISSION, S_FACE, S_POSITION, S_VIEW } from '../../raster/surface';
import { seesFront } from '../bvhLayout';
import { A_DENSITY, A_RADIANCE, meetLight, surroundingsDensity, weighEmitters } from '../emitters';
import { glowsBothWays } from '../glowingTriangles';
import { clamped } from './bookPaths';
import {
  HOME,
  H_LIGHT,
  H_LIT,
  arrival,
  carried,
  crossed,
  density,
  direction,
  hitDistance,
  hitPlace,
  hitTriangle,
  home,
  last,
  origin,
  scattered,
  sky,
  split,
  surface,
  type PathInput,
  useOfSky,
} from './pathState';

/** Lamps that the ray crosses: they are not drawn, but mirrors and matte surfaces receive their light. */
export function meetExtended(input: PathInput, i: number): void {
  const { emitters } = input;
  if (scattered[i] === 0 || emitters.extended.length === 0) return;
  const o = i * 3;
  for (const index of emitters.extended) {
    const light = emitters.lights[index];
    const ox = origin[o];
    const oy = origin[o + 1];
    const oz = origin[o + 2];
    const limit = light.castsShadow ? hitDistance[i] : Infinity;
    if (!meetLight(light, ox, oy, oz, direction[o], direction[o + 1], direction[o + 2], limit, arrival)) continue;
    // a density belongs to the place that asked, which panes may have left behind; where they bent the ray it may miss from there
    if (crossed[i] === 1 && density[i] > 0) {
      const x = last[o];
      const y = last[o + 1];
      const z = last[o + 2];
      meetLight(light, x, y, z, direction[o], direction[o + 1], direction[o + 2], Infinity, arrival);
    }
    receive(input, i, arrival[A_DENSITY], index, arrival[A_RADIANCE], arrival[A_RADIANCE + 1], arrival[A_RADIANCE + 2]);
  }
}

export function meetSky(input: PathInput, i: number): void {
  const { surroundings, lights } = input.emitters;
  if (!surroundings) return;
  const o = i * 3;
  const dx = direction[o];
  const dy = direction[o + 1];
  const dz = direction[o + 2];
  surroundings.radiance(dx, dy, dz, sky);
  const drawn = density[i] > 0 ? surroundingsDensity(surroundings, last[o], last[o + 1], last[o + 2], dx, dy, dz) : 0;
  const k = useOfSky;
  receive(input, i, drawn, lights.length, sky[0] * k[o], sky[1] * k[o + 1], sky[2] * k[o + 2]);
}

/** Light of the surface itself. */
export function meetGlow(input: PathInput, i: number): void {
  const r = surface[S_EMISSION];
  const g = surface[S_EMISSION + 1];
  const b = surface[S_EMISSION + 2];
  if (r + g + b === 0) return;
  const t = hitTriangle[i];
  const o = i * 3;
  const { scene } = input.surface;
  const front = seesFront(input.bvh, hitPlace[i], direction[o], direction[o + 1], direction[o + 2]);
  if (!front && !glowsBothWays(scene, scene.triangleMaterial[t])) return;
  const c =
    surface[S_FACE] * surface[S_VIEW] +
    surface[S_FACE + 1] * surface[S_VIEW + 1] +
    surface[S_FACE + 2] * surface[S_VIEW + 2];
  const d = distanceFromLast(i);
  const glows = input.emitters.glowing?.density[scene.triangleMaterial[t]] ?? 0;
  const drawn = density[i] > 0 && c > 0 ? (glows * d * d) / c : 0;
  receive(input, i, drawn, input.emitters.lights.length + 1, r, g, b);
}

/** The ray may have crossed panes since it scattered. */
function distanceFromLast(i: number): number {
  const o = i * 3;
  const x = surface[S_POSITION] - last[o];
  const y = surface[S_POSITION + 1] - last[o + 1];
  const z = surface[S_POSITION + 2] - last[o + 2];
  return Math.sqrt(x * x + y * y + z * z);
}

/**
 * Books light that a ray met by chance, weighted against the chance of having been asked for it (power heuristic).
 * @param drawn density with which the emitter would have drawn this place; 0 when it cannot
 */
function receive(input: PathInput, i: number, drawn: number, emitter: number, r: number, g: number, b: number): void {
  const { emitters } = input;
  const o = i * 3;
  let weight = 1;
  if (density[i] > 0 && drawn > 0 && weighEmitters(emitters, last[o], last[o + 1], last[o + 2])) {
    const asked = drawn * emitters.weights[emitter];
    weight = (density[i] * density[i]) / (density[i] * density[i] + asked * asked);
  }
  const x = carried[o] * r * weight;
  const y = carried[o + 1] * g * weight;
  const z = carried[o + 2] * b * weight;
  const at = i * HOME;
  if (scattered[i] === 0) {
    home[at + 9] += x;
    home[at + 10] += y;
    home[at + 11] += z;
    return;
  }
  if (scattered[i] === 1 && emitter < emitters.lights.length) {
    home[at] += x;
    home[at + 1] += y;
    home[at + 2] += z;
    const all = Math.abs(x) + Math.abs(y) + Math.abs(z);
    home[at + H_LIGHT] += all;
    home[at + H_LIT] += all;
    return;
  }
  const keep = scattered[i] > 1 ? clamped(input, i, luminance(x, y, z)) : 1;
  const mine = [x * keep, y * keep, z * keep];
  for (let c = 0; c < 3; c++) {
    home[at + 3 + c] += mine[c] * split[o + c];
    home[at + 6 + c] += mine[c] * (1 - split[o + c]);
  }
}

/** Rigs: complete lightings of a shot, as documents that are edited, stored, blended and turned into a frame's light. */
import { z } from 'zod';
import { BadInputError } from '../errors';
import type { ResolvedRecipe } from '../recipe/recipe';
import type { CompiledScene, SceneMeta } from '../scene/compiled';
import type { LightPlace, Lighting, PlacedLight } from '../scene/source';
import { poseNodes } from '../scene/pose';
import { atan2, cos, exp2, sin } from '../math/exact';
import { unit } from '../math/mat4';
import { within } from '../math/within';
import { directionField, MAX_INTENSITY } from './documentFields';
import { environmentDocument } from './surroundings/document';
import { blendSurroundings, withinRig } from './surroundings/kinds';

const finite = z.number();
export const MOST_LIGHTS = 256;
const position = z.tuple([finite.min(-1e7).max(1e7), finite.min(-1e7).max(1e7), finite.min(-1e7).max(1e7)]);
const rgb = z.tuple([finite.min(0).max(1000), finite.min(0).max(1000), finite.min(0).max(1000)]);
export const rigLight = z.strictObject({
  id: z.string().min(1).max(40),
  name: z.string().trim().min(1, 'a light needs a name').max(80),
  kind: z.enum(['sun', 'point', 'spot', 'area']),
  on: z.boolean(),
  solo: z.boolean(),
  color: rgb,
  /** Kelvin; when set, `color` was made from it. */
  temperature: finite.min(1000).max(20000).nullable(),
  intensity: finite.min(-MAX_INTENSITY).max(MAX_INTENSITY),
  /** Metres, null for no limit. */
  range: finite.positive().max(1e7).nullable(),
  innerConeDeg: finite.min(0).max(89),
  outerConeDeg: finite.min(0.5).max(89.5),
  castsShadow: z.boolean(),
  radius: finite.min(0).max(1000),
  angularDiameterDeg: finite.min(0).max(90),
  shape: z.enum(['rectangle', 'square', 'disc', 'ellipse']),
  width: finite.min(0.001, 'a face needs a width of at least 0.001 m').max(10000),
  height: finite.min(0.001, 'a face needs a height of at least 0.001 m').max(10000),
  twoSided: z.boolean(),
  shadow: z.strictObject({
    resolution: z.int().min(128).max(8192).optional(),
    slopeBias: finite.min(0).max(10).optional(),
    normalOffset: finite.min(0).max(10).optional(),
    filter: z.enum(['hard', 'pcf', 'soft', 'moment']).optional(),
  }),
  /** Name of the scene's node that carries the light, or null when the rig places it. */
  follows: z.string().max(200).nullable(),
  position,
  direction: directionField,
  rollDeg: finite.min(-360).max(360),
  /** A sun that was split off the picture around the scene turns as the picture does. */
  turnsWithPicture: z.boolean().optional(),
});
export type RigLight = z.infer<typeof rigLight>;

export const rig = z.strictObject({
  name: z.string().trim().min(1, 'a rig needs a name').max(80),
  /** Added to the recipe's exposure. */
  exposureEv: finite.min(-24).max(24),
  lights: z.array(rigLight).max(MOST_LIGHTS, `a rig holds at most ${MOST_LIGHTS} lights`),
  environment: environmentDocument,
  /** Scales what glowing meshes send out; 1 where it is absent, 0 switches them off. */
  glow: finite.min(0).max(1000).optional(),
});
export type Rig = z.infer<typeof rig>;

const rigFile = z.strictObject({ format: z.literal('daxel-rig'), version: z.literal(1), rig });

/** The JSON text of a rig, for files. */
export function writeRig(value: Rig): string {
  return `${JSON.stringify({ format: 'daxel-rig', version: 1, rig: value }, null, 2)}\n`;
}

/** @param file named in errors @throws BadInputError naming file, place and remedy */
export function readRig(text: string, file: string): Rig {
  let data: unknown;
  try {
    data = JSON.parse(text);
  } catch (error) {
    throw new BadInputError(`${file}: not valid JSON (${(error as Error).message}). Export the rig again.`);
  }
  const parsed = rigFile.safeParse(data);
  if (parsed.success) return parsed.data.rig;
  const issue = parsed.error.issues[0];
  const place = issue.path.join('.') || 'the top level';
  throw new BadInputError(`${file}: ${place}: ${issue.message}. A rig file has format, version and rig.`);
}

const DEGREES = 180 / Math.PI;

/** The scene's own light as a rig: every light follows its node and remembers where that stands at rest. */
export function sceneRig(scene: Pick<CompiledScene, 'meta' | 'keys' | 'nodeTransforms' | 'nodeParents'>): Rig {
  const { meta } = scene;
  const world = poseNodes(scene as CompiledScene, 0);
  const lights = meta.lights.slice(0, MOST_LIGHTS).map((light, i): RigLight => {
    const m = world[light.node];
    const d = unit([-m[8], -m[9], -m[10]]);
    return {
      ...newLight(light.kind, `scene-${i}`, light.name.trim().slice(0, 80) || light.kind),
      color: light.color.map((c) => within(c, 0, 1000)) as RigLight['color'],
      intensity: within(light.intensity, -MAX_INTENSITY, MAX_INTENSITY),
      range: light.range > 0 && light.range <= 1e7 ? light.range : null,
      innerConeDeg: within(light.innerConeRad * DEGREES, 0, 89),
      outerConeDeg: within(light.outerConeRad * DEGREES, 0.5, 89.5),
      castsShadow: light.castsShadow,
      radius: within(light.radius, 0, 1000),
      angularDiameterDeg: within(light.angularDiameterRad * DEGREES, 0, 90),
      shape: light.shape ?? 'rectangle',
      width: within(light.width ?? 1, 0.001, 10000),
      height: within(light.height ?? light.width ?? 1, 0.001, 10000),
      twoSided: light.twoSided ?? false,
      shadow: light.shadow ?? {},
      follows: meta.nodes[light.node].name.slice(0, 200),
      position: [12, 13, 14].map((k) => within(m[k], -1e7, 1e7)) as RigLight['position'],
      direction: (d.every((c) => c === 0 || c !== c) ? [0, -1, 0] : d) as RigLight['direction'],
    };
  });
  return { name: 'As it came', exposureEv: 0, lights, environment: withinRig(meta.environment) };
}

/** A light with sensible values, shining down from two metres. */
export function newLight(kind: RigLight['kind'], id: string, name: string): RigLight {
  return {
    id,
    name,
    kind,
    on: true,
    solo: false,
    color: [1, 1, 1],
    temperature: null,
    intensity: { sun: 10, point: 100, spot: 200, area: 200 }[kind],
    range: null,
    innerConeDeg: 20,
    outerConeDeg: 30,
    castsShadow: true,
    radius: kind === 'point' || kind === 'spot' ? 0.05 : 0,
    angularDiameterDeg: kind === 'sun' ? 0.53 : 0,
    shape: 'rectangle',
    width: 1,
    height: 0.6,
    twoSided: false,
    shadow: {},
    follows: null,
    position: [0, 2, 0],
    direction: kind === 'sun' ? [-0.35, -0.8, -0.48] : [0, -1, 0],
    rollDeg: 0,
  };
}

/**
 * A rig as the light of a frame. With any light soloed, only soloed ones shine. A light whose node is no longer in the
 * scene stays where the rig last saw it.
 * @returns the light, and the names of lights that lost their node
 */
export function rigLighting(
  rig: Rig,
  meta: Pick<SceneMeta, 'nodes' | 'lights'>,
): { lighting: Lighting; lost: string[] } {
  const soloed = rig.lights.some((l) => l.solo && l.on);
  const lost: string[] = [];
  const lights: PlacedLight[] = [];
  for (const light of rig.lights) {
    const node = light.follows === null ? -1 : nodeOf(light, meta);
    if (light.follows !== null && node < 0) lost.push(light.name);
    if (light.on && (light.solo || !soloed)) lights.push(placed(light, node));
  }
  const { glow, environment } = rig;
  const lighting = { lights, environment, ...(glow !== undefined && { glow }) };
  return { lighting, lost };
}

/** The recipe with the rig's exposure added to its own. */
export function exposedBy(recipe: ResolvedRecipe, rig: Rig): ResolvedRecipe {
  const ev = (recipe['lens.exposure'] as number) + rig.exposureEv;
  return { ...recipe, 'lens.exposure': Math.min(24, Math.max(-24, ev)) };
}

function nodeOf(light: RigLight, meta: Pick<SceneMeta, 'nodes' | 'lights'>): number {
  const carried = meta.lights.map((l) => l.node).filter((n) => meta.nodes[n].name === light.follows);
  // of several nodes with one name, the light's number in the scene tells which
  const number = Number(/^scene-(\d+)/.exec(light.id)?.[1] ?? -1);
  const own = meta.lights[number]?.node;
  return carried.includes(own) ? own : (carried[0] ?? -1);
}

function placed(light: RigLight, node: number): PlacedLight {
  const place: LightPlace = {
    position: light.position,
    direction: unit(light.direction) as LightPlace['direction'],
    rollDeg: light.rollDeg,
  };
  const outerConeRad = light.outerConeDeg / DEGREES;
  return {
    name: light.name,
    kind: light.kind,
    color: light.color,
    intensity: light.intensity,
    range: light.range ?? Infinity,
    innerConeRad: Math.min(light.innerConeDeg / DEGREES, outerConeRad - 1e-3),
    outerConeRad,
    castsShadow: light.castsShadow,
    radius: light.radius,
    angularDiameterRad: light.angularDiameterDeg / DEGREES,
    shape: light.shape,
    width: light.width,
    height: light.height,
    twoSided: light.twoSided,
    shadow: light.shadow,
    node,
    place,
  };
}

/**
 * Two rigs in one: light is additive, so the mix of two finished pictures is the picture of all their lights at the mixed
 * levels. Lights with the same id, place and shape are one light of the mixed level; the others dim towards zero.
 * Surroundings mix as their kinds say.
 * @param t 0 the first … 1 the second
 */
export function blendRigs(a: Rig, b: Rig, t: number, name: string): Rig {
  const lights: RigLight[] = [];
  const dimmed = (light: RigLight, k: number): RigLight => ({ ...light, intensity: light.intensity * k });
  // what a rig's exposure adds is light too: both sides are brought to the first one's exposure
  const gain = exp2(b.exposureEv - a.exposureEv);
  for (const light of a.lights) {
    const twin = b.lights.find((l) => sameButLevel(l, light));
    const level =
      (shines(a, light) ? light.intensity * (1 - t) : 0) + (twin && shines(b, twin) ? twin.intensity * t * gain : 0);
    if (level !== 0) lights.push({ ...light, on: true, solo: false, intensity: level });
  }
  for (const light of b.lights) {
    if (a.lights.some((l) => sameButLevel(l, light)) || !shines(b, light)) continue;
    const taken = lights.some((l) => l.id === light.id);
    const id = taken ? `${light.id}-b` : light.id;
    if (t > 0) lights.push({ ...dimmed(light, t * gain), id, solo: false });
  }
  return {
    name,
    exposureEv: a.exposureEv,
    lights,
    environment: blendSurroundings(a.environment, b.environment, t, gain),
    glow: (a.glow ?? 1) * (1 - t) + (b.glow ?? 1) * t * gain,
  };
}

function shines(rig: Rig, light: RigLight): boolean {
  return light.on && (light.solo || !rig.lights.some((l) => l.solo && l.on));
}

function sameButLevel(a: RigLight, b: RigLight): boolean {
  const { intensity: _ia, on: _oa, solo: _sa, name: _na, ...restA } = a;
  const { intensity: _ib, on: _ob, solo: _sb, name: _nb, ...restB } = b;
  return JSON.stringify(restA) === JSON.stringify(restB);
}

/** Direction in which a sun shines when it stands at an altitude and an azimuth (0 north = −Z, 90 east = +X). */
export function sunDirection(altitudeDeg: number, azimuthDeg: number): [number, number, number] {
  const [a, z] = [altitudeDeg / DEGREES, azimuthDeg / DEGREES];
  return [-cos(a) * sin(z), -sin(a), cos(a) * cos(z)];
}

/** Altitude −90…90 and azimuth 0…360 of a sun that shines in a direction. */
export function sunAngles(direction: readonly number[]): { altitudeDeg: number; azimuthDeg: number } {
  const [x, y, z] = unit(direction);
  const altitudeDeg = atan2(-y, Math.sqrt(x * x + z * z)) * DEGREES;
  const azimuthDeg = (atan2(-x, z) * DEGREES + 360) % 360;
  return { altitudeDeg, azimuthDeg };
}

/** Ways to look at a frame other than the picture itself: instruments for light and shadow. */
import { ANSWERS } from '../around/method';
import { LEAK_NONE, type AroundView } from '../around/view';
import { FACING_FRONT, LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { cascadeAt, shadowAt, viewAt, type ShadedPlace } from '../shadows/shadowAt';
import { blockerDistance, type ShadowRays } from '../trace/traceShadow';
import { L_BOUNCE, L_DIRECT, L_LIT, LIGHT_SIZE, lightSurface, setPlace, type LightingInput } from './lighting';
import { S_BASE, S_DIFFUSE, S_F0, S_F90, S_FACE, S_MIRRORED, S_NORMAL, S_OCCLUSION } from '../raster/surface';

export const VIEW_MODES = [
  { id: 'picture', label: 'Picture', shows: 'the picture itself' },
  { id: 'light', label: 'Light only', shows: 'all surfaces in one grey, so that light alone is judged' },
  { id: 'shadow', label: 'Shadow only', shows: 'share of direct light that arrives' },
  { id: 'cascades', label: 'Cascades', shows: 'which map of the sun serves a place, near to far' },
  { id: 'texels', label: 'Shadow texels', shows: 'shadow texels along one pixel, on the finest map there' },
  { id: 'faults', label: 'Shadow faults', shows: 'shadow maps held against traced shadows' },
  { id: 'open', label: 'Openness', shows: 'share of the surroundings that nothing near a place keeps out' },
  { id: 'bounce', label: 'Bounce only', shows: 'light that comes to surfaces from others and from around, alone' },
  { id: 'rays', label: 'Bounce rays', shows: 'what rays through the picture met, and where they were lost' },
  { id: 'answered', label: 'Bounce methods', shows: 'which method knew the light that comes to a place from around' },
  { id: 'probes', label: 'Probes', shows: 'probes as balls, and how many of those around a place see it' },
  { id: 'voxels', label: 'Voxels', shows: 'the voxels themselves, as bright as each sends light' },
  { id: 'voxelSize', label: 'Voxel size', shows: 'how many pixels a voxel is wide at a place' },
  { id: 'leaks', label: 'Voxel leaks', shows: 'walls thinner than a voxel, and how much brighter it is behind them' },
  { id: 'detail', label: 'Detail', shows: 'which level of detail each object has' },
  { id: 'lights', label: 'Light count', shows: 'lights that reach a place, times the light samples' },
  { id: 'noise', label: 'Noise', shows: 'what is still uncertain of a path-traced picture, against its light' },
] as const;
export type ViewMode = (typeof VIEW_MODES)[number]['id'];

/** Colours of the instruments, scene-linear, and what they stand for. */
export const VIEW_KEYS: Partial<Record<ViewMode, { label: string; rgb: readonly [number, number, number] }[]>> = {
  cascades: [
    { label: '1', rgb: [0.75, 0.3, 0.12] },
    { label: '2', rgb: [0.12, 0.42, 0.4] },
    { label: '3', rgb: [0.62, 0.55, 0.14] },
    { label: '4', rgb: [0.28, 0.25, 0.6] },
    { label: '5', rgb: [0.2, 0.5, 0.16] },
    { label: '6', rgb: [0.6, 0.22, 0.44] },
    { label: 'beyond', rgb: [0.03, 0.03, 0.03] },
  ],
  texels: [
    { label: '¼ or less', rgb: [0.75, 0.1, 0.02] },
    { label: '½', rgb: [0.7, 0.35, 0.08] },
    { label: '1', rgb: [0.35, 0.35, 0.35] },
    { label: '2', rgb: [0.1, 0.36, 0.36] },
    { label: '4 or more', rgb: [0.02, 0.12, 0.3] },
  ],
  faults: [
    { label: 'acne', rgb: [0.85, 0.08, 0.02] },
    { label: 'detached', rgb: [0.35, 0.12, 0.75] },
    { label: 'leak', rgb: [0.85, 0.6, 0.03] },
  ],
  probes: [
    { label: 'none sees it', rgb: [0.75, 0.1, 0.02] },
    { label: 'half do', rgb: [0.62, 0.55, 0.14] },
    { label: 'all see it', rgb: [0.12, 0.42, 0.4] },
    { label: 'no probe asked', rgb: [0.03, 0.03, 0.03] },
    { label: 'moved', rgb: [0.28, 0.25, 0.6] },
    { label: 'in a wall', rgb: [0.85, 0.6, 0.03] },
  ],
  voxels: [{ label: 'no voxel asked', rgb: [0.03, 0.03, 0.03] }],
  voxelSize: [
    { label: '1 pixel', rgb: [0.1, 0.36, 0.36] },
    { label: '4', rgb: [0.35, 0.35, 0.35] },
    { label: '16', rgb: [0.7, 0.35, 0.08] },
    { label: '64 or more', rgb: [0.75, 0.1, 0.02] },
    { label: 'outside', rgb: [0.03, 0.03, 0.03] },
  ],
  answered: [
    { label: 'rays through the picture', rgb: [0.12, 0.42, 0.4] },
    { label: 'traced rays', rgb: [0.2, 0.5, 0.16] },
    { label: 'voxels', rgb: [0.62, 0.55, 0.14] },
    { label: 'probes', rgb: [0.28, 0.25, 0.6] },
    { label: 'surroundings', rgb: [0.75, 0.3, 0.12] },
    { label: 'no light asked', rgb: [0.03, 0.03, 0.03] },
  ],
  leaks: [
    { label: 'thick enough', rgb: [0.12, 0.42, 0.4] },
    { label: 'no brighter behind', rgb: [0.35, 0.35, 0.35] },
    { label: '4 times as bright', rgb: [0.7, 0.35, 0.08] },
    { label: '16 times or more', rgb: [0.75, 0.1, 0.02] },
    { label: 'no voxel asked', rgb: [0.03, 0.03, 0.03] },
  ],
  rays: [
    { label: 'met something', rgb: [0.12, 0.42, 0.4] },
    { label: 'nothing in the way', rgb: [0.28, 0.25, 0.6] },
    { label: 'left the frame', rgb: [0.62, 0.55, 0.14] },
    { label: 'went behind something', rgb: [0.75, 0.1, 0.02] },
    { label: 'no ray asked', rgb: [0.03, 0.03, 0.03] },
  ],
  detail: [
    { label: 'full', rgb: [0.4, 0.4, 0.4] },
    { label: '½', rgb: [0.12, 0.42, 0.4] },
    { label: '¼', rgb: [0.62, 0.55, 0.14] },
    { label: '⅛', rgb: [0.75, 0.3, 0.12] },
  ],
  lights: [
    { label: '0', rgb: [0.02, 0.02, 0.02] },
    { label: '1', rgb: [0.05, 0.2, 0.2] },
    { label: '4', rgb: [0.12, 0.42, 0.4] },
    { label: '16', rgb: [0.62, 0.55, 0.14] },
    { label: '64 or more', rgb: [0.75, 0.1, 0.02] },
  ],
  noise: [
    { label: '1 % or less', rgb: [0.02, 0.06, 0.12] },
    { label: '3 %', rgb: [0.05, 0.2, 0.2] },
    { label: '10 %', rgb: [0.12, 0.42, 0.4] },
    { label: '30 %', rgb: [0.62, 0.55, 0.14] },
    { label: '100 % or more', rgb: [0.75, 0.1, 0.02] },
  ],
};

export interface ViewInput {
  mode: ViewMode;
  lighting: LightingInput;
  /** Of 'detail': level per instance, or null where all are full. */
  levels: Uint8Array | null;
  /** Of the method that has such a view, where the recipe asks it. */
  shown: AroundView | null;
  /** Of 'faults'. */
  rays: ShadowRays | null;
  /** Metres along one pixel at a distance of one metre (or anywhere, for a parallel camera). */
  pixelSize: number;
  parallel: boolean;
}

const FAR_ALONE = Float64Array.from([...ANSWERS.map(() => 0), 1]);
const record = new Float64Array(LIGHT_SIZE);
const seer = { x: 0, y: 0, z: 0, normal: new Float64Array(3), face: new Float64Array(3) };
const lit = new Float64Array(3);
const toLight = { x: 0, y: 0, z: 0, distance: 0, cosine: 0 };
export const FAULT_NONE = -1;
export const FAULT_ACNE = 0;
export const FAULT_DETACHED = 1;
export const FAULT_LEAK = 2;

/** Writes what an instrument shows of a surface of an instance: rgb, display-linear. */
export function viewSurface(
  input: ViewInput,
  s: Float64Array,
  instance: number,
  pixel: number,
  out: Float64Array,
): void {
  const { lighting, mode } = input;
  if (mode === 'light') return lightOnly(lighting, s, pixel, out);
  if (mode === 'shadow' || mode === 'bounce' || mode === 'rays' || mode === 'answered' || mode === 'open') {
    lightSurface(lighting, s, false, pixel, 1, record);
    if (mode === 'answered') return whoAnswered(lighting, s, out);
    if (mode === 'rays') return whereRaysWent(lighting, s, out);
    if (mode === 'bounce') return out.set(record.subarray(L_BOUNCE, L_BOUNCE + 3));
    const share = mode === 'shadow' ? record[L_LIT] : Math.min(s[S_OCCLUSION], lighting.around?.one.open[0] ?? 1);
    return void out.fill(share, 0, 3);
  }
  const at = setPlace(lighting.camera, s);
  // instruments lie over a faint picture of the surfaces, so that one knows where one is
  const ground = 0.04 + 0.1 * (s[S_BASE] + s[S_BASE + 1] + s[S_BASE + 2]);
  if (mode === 'detail') {
    const { rgb } = VIEW_KEYS.detail![input.levels?.[instance] ?? 0];
    for (let c = 0; c < 3; c++) out[c] = rgb[c] * (0.35 + 3 * ground);
    return;
  }
  if (mode === 'probes' || mode === 'voxelSize' || mode === 'voxels' || mode === 'leaks') {
    for (let c = 0; c < 3; c++) {
      seer.normal[c] = s[S_NORMAL + c];
      seer.face[c] = s[S_FACE + c];
    }
    [seer.x, seer.y, seer.z] = [at.x, at.y, at.z];
    const told = input.shown?.measureAt(seer) ?? -1;
    if (mode === 'probes') {
      if (told < 0) out.set(VIEW_KEYS.probes![3].rgb);
      else ramp(VIEW_KEYS.probes!, told, [0, 0.5, 1], out);
    } else if (mode === 'leaks' && told >= 0) {
      if (told === LEAK_NONE) out.set(VIEW_KEYS.leaks![0].rgb);
      else ramp(VIEW_KEYS.leaks!.slice(1), told, [1, 4, 16], out);
    } else if (mode === 'voxels' || told < 0) out.set(VIEW_KEYS[mode]!.at(-1)!.rgb);
    else ramp(VIEW_KEYS.voxelSize!, told / pixelMetresAt(input, at), [1, 4, 16, 64], out);
    for (let c = 0; c < 3; c++) out[c] *= 0.35 + 3 * ground;
    return;
  }
  if (mode === 'lights') return ramp(VIEW_KEYS.lights!, reachingLights(lighting, at), [0, 1, 4, 16, 64], out);
  const sun = lighting.lights.find((l) => l.kind === LIGHT_SUN && l.maps.length > 0);
  if (mode === 'cascades') {
    out.fill(ground, 0, 3);
    if (!sun) return;
    const beyond = at.viewDistance >= sun.maps[sun.maps.length - 1].end;
    const key = VIEW_KEYS.cascades![beyond ? 6 : cascadeAt(sun, at.viewDistance)];
    for (let c = 0; c < 3; c++) out[c] = key.rgb[c] * (0.35 + 3 * ground);
    return;
  }
  if (mode === 'texels') {
    const pixelMetres = pixelMetresAt(input, at);
    const texel = finestTexel(lighting.lights, at);
    if (texel === Infinity) return void out.fill(ground, 0, 3);
    return ramp(VIEW_KEYS.texels!, pixelMetres / texel, [0.25, 0.5, 1, 2, 4], out);
  }
  out.fill(ground * 0.6, 0, 3);
  const fault = faultAt(input, at);
  if (fault !== FAULT_NONE) out.set(VIEW_KEYS.faults![fault].rgb);
}

/** Along one pixel, at a place. */
function pixelMetresAt({ parallel, pixelSize }: ViewInput, { viewDistance }: ShadedPlace): number {
  return parallel ? pixelSize : pixelSize * viewDistance;
}

/** What is drawn over a picture of surfaces, where anything is. */
export function coveredBy(view: ViewInput | null): AroundView | null {
  return view?.mode === 'probes' || view?.mode === 'voxels' ? view.shown : null;
}

/** Colours by the shares of light from around that each method knew. */
function whoAnswered({ around }: LightingInput, s: Float64Array, out: Float64Array): void {
  const keys = VIEW_KEYS.answered!;
  if (!isMatte(s)) return out.set(keys.at(-1)!.rgb);
  // without any method the surroundings alone answer
  const shares = around ? around.answered : FAR_ALONE;
  for (let c = 0; c < 3; c++) out[c] = shares.reduce((sum, share, k) => sum + share * keys[k].rgb[c], 0);
}

function isMatte(s: Float64Array): boolean {
  return s[S_DIFFUSE] + s[S_DIFFUSE + 1] + s[S_DIFFUSE + 2] > 0;
}

const went = new Float64Array(3);

/** Colours by the shares of a place's rays that ended so. */
function whereRaysWent({ around }: LightingInput, s: Float64Array, out: Float64Array): void {
  const keys = VIEW_KEYS.rays!;
  if (!isMatte(s) || !around?.missed(went)) return out.set(keys[4].rgb);
  const [met, left, hidden] = went;
  const shares = [met, Math.max(0, 1 - met - left - hidden), left, hidden];
  for (let c = 0; c < 3; c++) out[c] = shares.reduce((sum, share, k) => sum + share * keys[k].rgb[c], 0);
}

/** Grey as a photographer's card: nothing but light and shape are left. */
function lightOnly(lighting: LightingInput, s: Float64Array, pixel: number, out: Float64Array): void {
  for (let c = 0; c < 3; c++) {
    s[S_DIFFUSE + c] = 0.5;
    s[S_F0 + c] = s[S_MIRRORED + c] = 0;
  }
  s[S_F90] = 0;
  lightSurface(lighting, s, false, pixel, 1, record);
  for (let c = 0; c < 3; c++) out[c] = record[L_DIRECT + c] + record[L_BOUNCE + c];
}

/** Direction, distance and cosine from `place` to a light. @returns false when no light comes from there */
function aim(light: FrameLight, at: ShadedPlace): boolean {
  let x = -light.dx;
  let y = -light.dy;
  let z = -light.dz;
  let distance = Infinity;
  if (light.kind !== LIGHT_SUN) {
    x = light.px - at.x;
    y = light.py - at.y;
    z = light.pz - at.z;
    distance = Math.sqrt(x * x + y * y + z * z);
    if (!(distance > 0) || distance > light.range) return false;
    x /= distance;
    y /= distance;
    z /= distance;
    if (light.facing === FACING_FRONT && x * light.fx + y * light.fy + z * light.fz >= 0) return false;
    if (
      light.kind === LIGHT_SPOT &&
      -(x * light.dx + y * light.dy + z * light.dz) * light.spotScale + light.spotOffset <= 0
    )
      return false;
  }
  toLight.x = x;
  toLight.y = y;
  toLight.z = z;
  toLight.distance = distance;
  toLight.cosine = at.fx * x + at.fy * y + at.fz * z;
  return toLight.cosine > 0 && (light.r !== 0 || light.g !== 0 || light.b !== 0);
}

function reachingLights(lighting: LightingInput, at: ShadedPlace): number {
  let count = 0;
  for (const light of lighting.lights) {
    if (!aim(light, at)) continue;
    count += light.sampled || lighting.rays === null ? 1 : Math.max(1, lighting.positions);
  }
  return count;
}

/** Texel of the finest map that serves a place, metres. */
function finestTexel(lights: readonly FrameLight[], at: ShadedPlace): number {
  let finest = Infinity;
  for (const light of lights) {
    if (light.maps.length === 0 || !aim(light, at)) continue;
    const view = viewAt(light, at.viewDistance, toLight.x, toLight.y, toLight.z);
    if (at.viewDistance >= view.end) continue;
    finest = Math.min(finest, view.perspective ? view.texelSize * toLight.distance : view.texelSize);
  }
  return finest;
}

/**
 * What is wrong with the mapped shadow of the first light that differs from its traced one by more than half:
 * shadow where light should be (acne), or light where shadow should be, with what casts it close by (detached) or not (leak).
 * Close is within four texels, the most that filters and bias are meant to move a shadow.
 */
export function faultAt(input: ViewInput, at: ShadedPlace): number {
  const { lighting, rays } = input;
  if (!rays) return FAULT_NONE;
  for (const light of lighting.lights) {
    if (light.maps.length === 0 || !aim(light, at)) continue;
    const { x, y, z, distance } = toLight;
    const cosine = toLight.cosine < 1 ? toLight.cosine : 1;
    const reading = lighting.readings[light.index];
    shadowAt(lighting.memory, reading, light, at, x, y, z, distance, cosine, lit);
    const mapped = Math.max(lit[0], lit[1], lit[2]) >= 0.5;
    const shell = Math.max(0.02, light.radius * 1.2);
    const blocker = blockerDistance(rays, at, x, y, z, distance === Infinity ? Infinity : distance - shell);
    const open = blocker === Infinity;
    if (mapped === open) continue;
    if (open) return FAULT_ACNE;
    const view = viewAt(light, at.viewDistance, x, y, z);
    const texel = view.perspective ? view.texelSize * distance : view.texelSize;
    return blocker <= texel * 4 ? FAULT_DETACHED : FAULT_LEAK;
  }
  return FAULT_NONE;
}

/** Colour between keys, in proportion between ascending stops. */
function ramp(
  keys: readonly { rgb: readonly number[] }[],
  value: number,
  stops: readonly number[],
  out: Float64Array,
): void {
  let i = 0;
  while (i < stops.length - 2 && value > stops[i + 1]) i++;
  const t = Math.min(1, Math.max(0, (value - stops[i]) / (stops[i + 1] - stops[i])));
  for (let c = 0; c < 3; c++) out[c] = keys[i].rgb[c] + (keys[i + 1].rgb[c] - keys[i].rgb[c]) * t;
}

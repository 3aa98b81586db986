/** Light that leaves a surface towards the eye, split into layers: direct, bounce, reflection, emission. */
import { ENVIRONMENT_LEVELS, ENVIRONMENT_SIDE, type CompiledScene } from '../scene/compiled';
import { irradianceAt } from '../math/sh';
import { octahedralEncode } from '../math/octahedron';
import { cubeFace, LIGHT_SPOT, LIGHT_SUN, type FrameLight } from '../shadows/frameLights';
import { filterShadow, type ShadowView } from '../shadows/shadowMap';
import { ggx, lookUpReflectance, schlickWeight } from './reflectance';
import {
  S_ALPHA,
  S_DIFFUSE,
  S_EMISSION,
  S_F0,
  S_F90,
  S_FACE,
  S_NORMAL,
  S_OCCLUSION,
  S_POSITION,
  S_ROUGHNESS,
  S_VIEW,
} from './surface';

/** Layout of a light record. */
export const L_DIRECT = 0;
export const L_BOUNCE = 3;
export const L_REFLECTION = 6;
export const L_EMISSION = 9;
/** Weighted share of direct light that is not in shadow; not worked out for see-through surfaces. */
export const L_LIT = 12;
/** Share of light from all around that is mirrored, rgb. */
export const L_MIRRORED = 13;
export const LIGHT_SIZE = 16;
export const COMPONENTS = 12;

export interface LightingInput {
  scene: CompiledScene;
  lights: readonly FrameLight[];
  shadowTexels: Float32Array;
  /** See `ShadowView.blockOffset`. */
  shadowBlocks: Float32Array;
  /** 1 for a single hard comparison. */
  taps: number;
  /** Half width of the filter, texels. */
  radius: number;
  slopeBias: number;
  normalOffset: number;
  bounce: number;
  reflections: number;
  /** See `environmentReflectance`. */
  reflectance: Float32Array;
}

const pair = new Float64Array(2);
const mirrored = new Float64Array(3);

/** Of a see-through surface without a matte part, highlights weaker than this (per steradian) are not followed. */
const FAINT = 1e-4;

/** Writes the sixteen numbers of a light record for a surface record. Radiance in nit. */
export function lightSurface(input: LightingInput, s: Float64Array, seeThrough: boolean, out: Float64Array): void {
  out[L_DIRECT] = 0;
  out[L_DIRECT + 1] = 0;
  out[L_DIRECT + 2] = 0;
  const matte = s[S_DIFFUSE] + s[S_DIFFUSE + 1] + s[S_DIFFUSE + 2] > 0;
  addDirect(input, s, seeThrough && !matte, out);
  addEnvironment(input, s, matte, out);
  out[L_EMISSION] = s[S_EMISSION];
  out[L_EMISSION + 1] = s[S_EMISSION + 1];
  out[L_EMISSION + 2] = s[S_EMISSION + 2];
}

function addDirect(input: LightingInput, s: Float64Array, glossOnly: boolean, out: Float64Array): void {
  const { lights } = input;
  const x = s[S_POSITION];
  const y = s[S_POSITION + 1];
  const z = s[S_POSITION + 2];
  const nx = s[S_NORMAL];
  const ny = s[S_NORMAL + 1];
  const nz = s[S_NORMAL + 2];
  const vx = s[S_VIEW];
  const vy = s[S_VIEW + 1];
  const vz = s[S_VIEW + 2];
  const nv = nx * vx + ny * vy + nz * vz;
  const alpha = s[S_ALPHA];
  const f90 = s[S_F90];
  let litSum = 0;
  let lightSum = 0;
  for (let i = 0; i < lights.length; i++) {
    const light = lights[i];
    let lx = -light.dx;
    let ly = -light.dy;
    let lz = -light.dz;
    let strength = 1;
    let distance = 1;
    if (light.kind !== LIGHT_SUN) {
      lx = light.px - x;
      ly = light.py - y;
      lz = light.pz - z;
      const d2 = lx * lx + ly * ly + lz * lz;
      distance = Math.sqrt(d2);
      if (distance > light.range || d2 === 0) continue;
      const inv = 1 / distance;
      lx *= inv;
      ly *= inv;
      lz *= inv;
      strength = 1 / d2;
      if (light.range !== Infinity) {
        // KHR_lights_punctual, range property
        const q = d2 / (light.range * light.range);
        strength *= Math.max(0, 1 - q * q);
      }
      if (light.kind === LIGHT_SPOT) {
        const c = -(lx * light.dx + ly * light.dy + lz * light.dz) * light.spotScale + light.spotOffset;
        if (c <= 0) continue;
        strength *= c < 1 ? c * c : 1;
      }
    }
    const nl = nx * lx + ny * ly + nz * lz;
    const faceCos = s[S_FACE] * lx + s[S_FACE + 1] * ly + s[S_FACE + 2] * lz;
    // light from behind the true surface does not reach it, however the normal is bent
    if (nl <= 0 || faceCos <= 0) continue;
    let hx = lx + vx;
    let hy = ly + vy;
    let hz = lz + vz;
    const hl = 1 / Math.sqrt(hx * hx + hy * hy + hz * hz);
    hx *= hl;
    hy *= hl;
    hz *= hl;
    const nh = nx * hx + ny * hy + nz * hz;
    const vh = vx * hx + vy * hy + vz * hz;
    const spec = ggx(alpha, nl, nv, nh < 1 ? nh : 1);
    if (glossOnly && spec < FAINT) continue;
    const lit =
      light.maps.length === 0 ? 1 : shadowAt(input, light, s, lx, ly, lz, distance, faceCos < 1 ? faceCos : 1);
    const weight = nl * strength * (Math.abs(light.r) + Math.abs(light.g) + Math.abs(light.b));
    lightSum += weight;
    litSum += weight * lit;
    if (lit === 0) continue;
    const w = schlickWeight(vh);
    const k = nl * strength * lit;
    const kd = k * (1 / Math.PI);
    const f0 = s[S_F0] + (f90 - s[S_F0]) * w;
    const f1 = s[S_F0 + 1] + (f90 - s[S_F0 + 1]) * w;
    const f2 = s[S_F0 + 2] + (f90 - s[S_F0 + 2]) * w;
    out[L_DIRECT] += ((1 - f0) * s[S_DIFFUSE] * kd + f0 * spec * k) * light.r;
    out[L_DIRECT + 1] += ((1 - f1) * s[S_DIFFUSE + 1] * kd + f1 * spec * k) * light.g;
    out[L_DIRECT + 2] += ((1 - f2) * s[S_DIFFUSE + 2] * kd + f2 * spec * k) * light.b;
  }
  out[L_LIT] = lightSum > 0 ? litSum / lightSum : 1;
}

/** Share of a light that reaches the surface past its shadow map. */
function shadowAt(
  input: LightingInput,
  light: FrameLight,
  s: Float64Array,
  lx: number,
  ly: number,
  lz: number,
  distance: number,
  faceCos: number,
): number {
  const single = light.maps.length === 1;
  const view: ShadowView = single ? light.maps[0] : light.maps[cubeFace(-lx, -ly, -lz)];
  const texel = view.perspective ? view.texelSize * distance : view.texelSize;
  const sine = Math.sqrt(1 - faceCos * faceCos);
  // half the filter widens the error of a single comparison, so both remedies grow with it
  const reach = texel * (1 + (input.taps > 1 ? input.radius : 0));
  const offset = input.normalOffset * reach * sine;
  const x = s[S_POSITION] + s[S_FACE] * offset;
  const y = s[S_POSITION + 1] + s[S_FACE + 1] * offset;
  const z = s[S_POSITION + 2] + s[S_FACE + 2] * offset;
  const m = view.matrix;
  const w = m[12] * x + m[13] * y + m[14] * z + m[15];
  if (w <= 0) return 1;
  const u = (m[0] * x + m[1] * y + m[2] * z + m[3]) / w;
  const v = (m[4] * x + m[5] * y + m[6] * z + m[7]) / w;
  const tangent = Math.min(8, sine / Math.max(faceCos, 0.05));
  const metres = input.slopeBias * texel * (0.25 + 0.5 * tangent) + 1e-4;
  let depth: number;
  if (view.perspective) {
    const wBias = w - metres;
    depth = wBias > view.depthScale ? view.depthScale / wBias : 1;
  } else {
    depth = m[8] * x + m[9] * y + m[10] * z + m[11] + metres * view.depthScale;
  }
  const spacing = input.taps > 1 ? (2 * input.radius) / input.taps : 1;
  return filterShadow(input.shadowTexels, input.shadowBlocks, view, u, v, depth, input.taps, spacing, !single);
}

function addEnvironment(input: LightingInput, s: Float64Array, matte: boolean, out: Float64Array): void {
  const { scene } = input;
  const x = s[S_NORMAL];
  const y = s[S_NORMAL + 1];
  const z = s[S_NORMAL + 2];
  const vx = s[S_VIEW];
  const vy = s[S_VIEW + 1];
  const vz = s[S_VIEW + 2];
  const nv = x * vx + y * vy + z * vz;
  const roughness = s[S_ROUGHNESS];
  lookUpReflectance(input.reflectance, roughness, nv < 1 ? nv : 1, pair);
  const scale = pair[0];
  const offset = pair[1] * s[S_F90];
  const occlusion = s[S_OCCLUSION];
  reflectedRadiance(scene, 2 * nv * x - vx, 2 * nv * y - vy, 2 * nv * z - vz, roughness, mirrored);
  // Lagarde & de Rousiers 2014, SIGGRAPH course on physically based shading: occlusion seen by a glossy lobe
  const open = occlusion < 1 ? glossyOcclusion(nv, occlusion, roughness) : 1;
  const reflections = input.reflections * open;
  const f0 = s[S_F0] * scale + offset;
  const f1 = s[S_F0 + 1] * scale + offset;
  const f2 = s[S_F0 + 2] * scale + offset;
  out[L_MIRRORED] = f0;
  out[L_MIRRORED + 1] = f1;
  out[L_MIRRORED + 2] = f2;
  out[L_REFLECTION] = mirrored[0] * f0 * reflections;
  out[L_REFLECTION + 1] = mirrored[1] * f1 * reflections;
  out[L_REFLECTION + 2] = mirrored[2] * f2 * reflections;
  if (!matte) {
    out[L_BOUNCE] = out[L_BOUNCE + 1] = out[L_BOUNCE + 2] = 0;
    return;
  }
  irradianceAt(scene.environmentSh, x, y, z, mirrored);
  const bounce = (input.bounce * occlusion) / Math.PI;
  out[L_BOUNCE] = mirrored[0] * s[S_DIFFUSE] * (1 - f0) * bounce;
  out[L_BOUNCE + 1] = mirrored[1] * s[S_DIFFUSE + 1] * (1 - f1) * bounce;
  out[L_BOUNCE + 2] = mirrored[2] * s[S_DIFFUSE + 2] * (1 - f2) * bounce;
}

function glossyOcclusion(nv: number, occlusion: number, roughness: number): number {
  const sum = nv + occlusion;
  const power = 1 + 3 * (1 - roughness);
  // sum^power for a power between 1 and 4, by squaring: exact enough and the same everywhere
  const s2 = sum * sum;
  const low = sum + (s2 - sum) * Math.min(1, power - 1);
  const high = s2 + (s2 * s2 - s2) * Math.max(0, (power - 2) / 2);
  const v = (power < 2 ? low : high) - 1 + occlusion;
  return v < 0 ? 0 : v > 1 ? 1 : v;
}

/** Blurred environment in a direction. */
function reflectedRadiance(
  scene: CompiledScene,
  x: number,
  y: number,
  z: number,
  roughness: number,
  out: Float64Array,
): void {
  octahedralEncode(x, y, z, pair);
  const side = ENVIRONMENT_SIDE;
  const map = scene.environmentMap;
  const px = Math.min(side - 1.001, Math.max(0, pair[0] * side - 0.5));
  const py = Math.min(side - 1.001, Math.max(0, pair[1] * side - 0.5));
  const x0 = px | 0;
  const y0 = py | 0;
  const fx = px - x0;
  const fy = py - y0;
  const level = Math.min(ENVIRONMENT_LEVELS - 1, roughness * (ENVIRONMENT_LEVELS - 1));
  const l0 = Math.min(ENVIRONMENT_LEVELS - 2, level | 0);
  const fl = level - l0;
  const a = (l0 * side * side + y0 * side + x0) * 3;
  const b = a + side * side * 3;
  const row = side * 3;
  const w00 = (1 - fx) * (1 - fy);
  const w10 = fx * (1 - fy);
  const w01 = (1 - fx) * fy;
  const w11 = fx * fy;
  // both levels of a corner are blended by one set of eight weights
  const far = fl;
  const near = 1 - fl;
  const n00 = w00 * near;
  const n10 = w10 * near;
  const n01 = w01 * near;
  const n11 = w11 * near;
  const f00 = w00 * far;
  const f10 = w10 * far;
  const f01 = w01 * far;
  const f11 = w11 * far;
  const a2 = a + row;
  const b2 = b + row;
  out[0] =
    map[a] * n00 +
    map[a + 3] * n10 +
    map[a2] * n01 +
    map[a2 + 3] * n11 +
    map[b] * f00 +
    map[b + 3] * f10 +
    map[b2] * f01 +
    map[b2 + 3] * f11;
  out[1] =
    map[a + 1] * n00 +
    map[a + 4] * n10 +
    map[a2 + 1] * n01 +
    map[a2 + 4] * n11 +
    map[b + 1] * f00 +
    map[b + 4] * f10 +
    map[b2 + 1] * f01 +
    map[b2 + 4] * f11;
  out[2] =
    map[a + 2] * n00 +
    map[a + 5] * n10 +
    map[a2 + 2] * n01 +
    map[a2 + 5] * n11 +
    map[b + 2] * f00 +
    map[b + 5] * f10 +
    map[b2 + 2] * f01 +
    map[b2 + 5] * f11;
}

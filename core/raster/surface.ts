/**
 * The surface behind one sample of the picture: from a triangle number and a pixel position to position, normal and
 * material values, with textures read at the right level of detail.
 */
import { crossLength, edgeCross } from '../math/triangle';
import type { CompiledScene } from '../scene/compiled';
import type { PosedScene } from '../scene/pose';
import {
  M_BASE_R,
  M_EMISSIVE_R,
  M_F0_R,
  M_F90,
  M_HAS_TEXTURES,
  M_METALLIC,
  M_NORMAL_SCALE,
  M_OCCLUSION,
  M_OCCLUSION_EVEN,
  M_ROUGHNESS,
  M_SLOT,
  M_TRANSMISSION,
  MATERIAL_STRIDE,
  SLOT_BASE,
  SLOT_EMISSIVE,
  SLOT_METALLIC_ROUGHNESS,
  SLOT_NORMAL,
  SLOT_OCCLUSION,
  SLOT_STRIDE,
} from '../scene/materialTable';
import { sampleTexture, TEXTURE_STRIDE } from '../scene/textureTable';
import { EDGES, triangleEdges } from './edges';
import { environmentReflectance, lookUpReflectance, MIN_ALPHA, widenAlpha } from './reflectance';

/** Layout of a surface record. */
export const S_POSITION = 0; // xyz, world
export const S_NORMAL = 3; // xyz, shading, towards the viewer
export const S_FACE = 6; // xyz, geometric, towards the viewer
export const S_VIEW = 9; // xyz, unit, from the surface to the eye
export const S_DIFFUSE = 12; // rgb albedo of the matte part
export const S_F0 = 15; // rgb
export const S_F90 = 18;
export const S_ROUGHNESS = 19;
export const S_ALPHA = 20; // GGX width, roughness²
export const S_OCCLUSION = 21;
export const S_EMISSION = 22; // rgb, nit
export const S_OPACITY = 25;
export const S_TRANSMISSION = 26;
export const S_BASE = 27; // rgb
export const S_MIRRORED = 30; // rgb: share of light from all around that is mirrored
export const S_BOOST = 33; // rgb: factor on the mirroring lobe for light that its facets pass on among themselves
export const SURFACE_SIZE = 36;

export interface SurfaceInput {
  scene: CompiledScene;
  posed: PosedScene;
  clip: Float32Array;
  /** Added to every level of detail. */
  textureBias: number;
  steady: boolean;
}

/** Edge functions of the triangle that was asked for last: neighbours in a row mostly share it. */
export interface TriangleCache {
  triangle: number;
  front: boolean;
  edges: Float64Array;
  /** Geometric normal, unit, on the counter-clockwise side. */
  face: Float64Array;
  /** All three corners have the vertex colour white, as in most scenes. */
  white: boolean;
}

export function createTriangleCache(): TriangleCache {
  return { triangle: -1, front: true, edges: new Float64Array(EDGES), face: new Float64Array(3), white: true };
}

const texel = new Float64Array(4);
const pair = new Float64Array(2);
/** Of the second and third barycentric along the pixel's x, then along its y. */
const slopes = new Float64Array(4);

/**
 * Writes the surface record of triangle `t` at picture position (px, py).
 * @param eyeX … position of the eye; for a parallel camera pass `parallel` and the direction towards the eye instead
 */
export function surfaceAt(
  input: SurfaceInput,
  cache: TriangleCache,
  t: number,
  px: number,
  py: number,
  eyeX: number,
  eyeY: number,
  eyeZ: number,
  parallel: boolean,
  out: Float64Array,
): void {
  const { scene, posed } = input;
  const { triangles } = scene;
  const i0 = triangles[t * 3];
  const i1 = triangles[t * 3 + 1];
  const i2 = triangles[t * 3 + 2];
  if (cache.triangle !== t) loadTriangle(input, cache, t, i0, i1, i2);
  const E = cache.edges;
  const e1 = E[3] * px + E[4] * py + E[5];
  const e2 = E[6] * px + E[7] * py + E[8];
  const sum = E[0] * px + E[1] * py + E[2] + e1 + e2;
  const inv = 1 / sum;
  const b1 = e1 * inv;
  const b2 = e2 * inv;
  const b0 = 1 - b1 - b2;
  const P = posed.positions;
  const x = P[i0 * 3] * b0 + P[i1 * 3] * b1 + P[i2 * 3] * b2;
  const y = P[i0 * 3 + 1] * b0 + P[i1 * 3 + 1] * b1 + P[i2 * 3 + 1] * b2;
  const z = P[i0 * 3 + 2] * b0 + P[i1 * 3 + 2] * b1 + P[i2 * 3 + 2] * b2;
  out[S_POSITION] = x;
  out[S_POSITION + 1] = y;
  out[S_POSITION + 2] = z;
  const vx = parallel ? eyeX : eyeX - x;
  const vy = parallel ? eyeY : eyeY - y;
  const vz = parallel ? eyeZ : eyeZ - z;
  const vl = 1 / Math.sqrt(vx * vx + vy * vy + vz * vz);
  out[S_VIEW] = vx * vl;
  out[S_VIEW + 1] = vy * vl;
  out[S_VIEW + 2] = vz * vl;
  const side = cache.front ? 1 : -1;
  out[S_FACE] = cache.face[0] * side;
  out[S_FACE + 1] = cache.face[1] * side;
  out[S_FACE + 2] = cache.face[2] * side;
  // barycentrics are ratios of linear functions of the pixel: quotient rule
  const sx = E[0] + E[3] + E[6];
  const sy = E[1] + E[4] + E[7];
  slopes[0] = (E[3] - b1 * sx) * inv;
  slopes[1] = (E[6] - b2 * sx) * inv;
  slopes[2] = (E[4] - b1 * sy) * inv;
  slopes[3] = (E[7] - b2 * sy) * inv;
  materialAt(input, t, side, cache.white, b1, b2, slopes, out);
}

/**
 * Writes normal and material values of a surface record whose position, view and face stand already.
 * @param side 1 where the front of the triangle is seen, −1 for its back
 * @param white all three corners have the vertex colour white
 * @param b1, b2 barycentrics of the second and third corner
 * @param slopes change of b1 and b2 along one side of the sample's footprint, then along the other
 */
export function materialAt(
  input: SurfaceInput,
  t: number,
  side: number,
  white: boolean,
  b1: number,
  b2: number,
  slopes: Float64Array,
  out: Float64Array,
): void {
  const { scene, posed } = input;
  const { triangles, uvs, materials, colors } = scene;
  const i0 = triangles[t * 3];
  const i1 = triangles[t * 3 + 1];
  const i2 = triangles[t * 3 + 2];
  const b0 = 1 - b1 - b2;
  const vx = out[S_VIEW];
  const vy = out[S_VIEW + 1];
  const vz = out[S_VIEW + 2];
  const N = posed.normals;
  let nx = (N[i0 * 3] * b0 + N[i1 * 3] * b1 + N[i2 * 3] * b2) * side;
  let ny = (N[i0 * 3 + 1] * b0 + N[i1 * 3 + 1] * b1 + N[i2 * 3 + 1] * b2) * side;
  let nz = (N[i0 * 3 + 2] * b0 + N[i1 * 3 + 2] * b1 + N[i2 * 3 + 2] * b2) * side;
  const nl = 1 / (Math.sqrt(nx * nx + ny * ny + nz * nz) || 1);
  nx *= nl;
  ny *= nl;
  nz *= nl;

  const m = scene.triangleMaterial[t] * MATERIAL_STRIDE;
  let r = materials[m + M_BASE_R];
  let g = materials[m + M_BASE_R + 1];
  let b = materials[m + M_BASE_R + 2];
  let opacity = materials[m + M_BASE_R + 3];
  if (!white) {
    const c0 = i0 * 4;
    const c1 = i1 * 4;
    const c2 = i2 * 4;
    r *= colors[c0] * b0 + colors[c1] * b1 + colors[c2] * b2;
    g *= colors[c0 + 1] * b0 + colors[c1 + 1] * b1 + colors[c2 + 1] * b2;
    b *= colors[c0 + 2] * b0 + colors[c1 + 2] * b1 + colors[c2 + 2] * b2;
    opacity *= colors[c0 + 3] * b0 + colors[c1 + 3] * b1 + colors[c2 + 3] * b2;
  }
  let metallic = materials[m + M_METALLIC];
  let roughness = materials[m + M_ROUGHNESS];
  let occlusion = materials[m + M_OCCLUSION_EVEN];
  let emitR = materials[m + M_EMISSIVE_R];
  let emitG = materials[m + M_EMISSIVE_R + 1];
  let emitB = materials[m + M_EMISSIVE_R + 2];
  let normalLength = 1;

  if (materials[m + M_HAS_TEXTURES] === 1) {
    const u0 = uvs[i0 * 2];
    const v0 = uvs[i0 * 2 + 1];
    const du1 = uvs[i1 * 2] - u0;
    const dv1 = uvs[i1 * 2 + 1] - v0;
    const du2 = uvs[i2 * 2] - u0;
    const dv2 = uvs[i2 * 2 + 1] - v0;
    const u = u0 + du1 * b1 + du2 * b2;
    const v = v0 + dv1 * b1 + dv2 * b2;
    const ux = du1 * slopes[0] + du2 * slopes[1];
    const vx_ = dv1 * slopes[0] + dv2 * slopes[1];
    const uy = du1 * slopes[2] + du2 * slopes[3];
    const vy_ = dv1 * slopes[2] + dv2 * slopes[3];
    let s = m + M_SLOT + SLOT_BASE * SLOT_STRIDE;
    if (materials[s] >= 0) {
      readSlot(input, s, u, v, ux, vx_, uy, vy_);
      r *= texel[0];
      g *= texel[1];
      b *= texel[2];
      opacity *= texel[3];
    }
    s = m + M_SLOT + SLOT_METALLIC_ROUGHNESS * SLOT_STRIDE;
    if (materials[s] >= 0) {
      readSlot(input, s, u, v, ux, vx_, uy, vy_);
      roughness *= texel[1];
      metallic *= texel[2];
    }
    s = m + M_SLOT + SLOT_OCCLUSION * SLOT_STRIDE;
    if (materials[s] >= 0) {
      // the same picture often carries occlusion, roughness and metalness
      if (materials[s] !== materials[m + M_SLOT + SLOT_METALLIC_ROUGHNESS * SLOT_STRIDE])
        readSlot(input, s, u, v, ux, vx_, uy, vy_);
      occlusion = 1 + materials[m + M_OCCLUSION] * (texel[0] - 1);
    }
    s = m + M_SLOT + SLOT_EMISSIVE * SLOT_STRIDE;
    if (materials[s] >= 0) {
      readSlot(input, s, u, v, ux, vx_, uy, vy_);
      emitR *= texel[0];
      emitG *= texel[1];
      emitB *= texel[2];
    }
    s = m + M_SLOT + SLOT_NORMAL * SLOT_STRIDE;
    if (materials[s] >= 0) {
      readSlot(input, s, u, v, ux, vx_, uy, vy_);
      const scale = materials[m + M_NORMAL_SCALE];
      const mx = (texel[0] * 2 - 1) * scale;
      const my = (texel[1] * 2 - 1) * scale;
      const mz = texel[2] * 2 - 1;
      normalLength = texel[3];
      const T = posed.tangents;
      const tx = T[i0 * 4] * b0 + T[i1 * 4] * b1 + T[i2 * 4] * b2;
      const ty = T[i0 * 4 + 1] * b0 + T[i1 * 4 + 1] * b1 + T[i2 * 4 + 1] * b2;
      const tz = T[i0 * 4 + 2] * b0 + T[i1 * 4 + 2] * b1 + T[i2 * 4 + 2] * b2;
      const w = T[i0 * 4 + 3];
      // cross(n, t) runs to the bitangent of the front side; on the back the frame is mirrored with the normal
      const bx = (ny * tz - nz * ty) * w * side;
      const by = (nz * tx - nx * tz) * w * side;
      const bz = (nx * ty - ny * tx) * w * side;
      const qx = tx * mx + bx * my + nx * mz;
      const qy = ty * mx + by * my + ny * mz;
      const qz = tz * mx + bz * my + nz * mz;
      const ql = Math.sqrt(qx * qx + qy * qy + qz * qz);
      if (ql > 0) {
        nx = qx / ql;
        ny = qy / ql;
        nz = qz / ql;
      }
    }
  }

  // a bent normal may face away at grazing angles: keep it just on the viewer's side, or highlights turn black
  let facing = nx * vx + ny * vy + nz * vz;
  if (facing < 0.02) {
    const push = 0.02 - facing;
    nx += vx * push;
    ny += vy * push;
    nz += vz * push;
    const l = 1 / Math.sqrt(nx * nx + ny * ny + nz * nz);
    nx *= l;
    ny *= l;
    nz *= l;
    facing = 0.02;
  }
  out[S_NORMAL] = nx;
  out[S_NORMAL + 1] = ny;
  out[S_NORMAL + 2] = nz;
  // before it is held off zero: else a length of a rounding below one would make a mirror rougher at a stroke
  let alpha = roughness * roughness;
  if (input.steady && normalLength < 1) {
    alpha = widenAlpha(alpha, normalLength);
    roughness = Math.sqrt(alpha);
  }
  if (alpha < MIN_ALPHA) alpha = MIN_ALPHA;
  const matte = 1 - metallic;
  const transmission = materials[m + M_TRANSMISSION] * matte;
  const solid = matte - transmission;
  out[S_DIFFUSE] = r * solid;
  out[S_DIFFUSE + 1] = g * solid;
  out[S_DIFFUSE + 2] = b * solid;
  out[S_F0] = materials[m + M_F0_R] * matte + r * metallic;
  out[S_F0 + 1] = materials[m + M_F0_R + 1] * matte + g * metallic;
  out[S_F0 + 2] = materials[m + M_F0_R + 2] * matte + b * metallic;
  out[S_F90] = materials[m + M_F90] * matte + metallic;
  out[S_ROUGHNESS] = roughness;
  out[S_ALPHA] = alpha;
  out[S_OCCLUSION] = occlusion;
  out[S_EMISSION] = emitR;
  out[S_EMISSION + 1] = emitG;
  out[S_EMISSION + 2] = emitB;
  out[S_OPACITY] = opacity;
  out[S_TRANSMISSION] = transmission;
  out[S_BASE] = r;
  out[S_BASE + 1] = g;
  out[S_BASE + 2] = b;
  mirrorShares(out, facing < 1 ? facing : 1);
}

/**
 * Writes what the surface mirrors of light from all around, and the factor by which its lobe falls short of that
 * (Turquin 2019, Practical Multiple Scattering Compensation for Microfacet Models). The matte part below receives the
 * rest, so that no surface sends back more than it receives.
 */
function mirrorShares(s: Float64Array, nv: number): void {
  lookUpReflectance(environmentReflectance(), s[S_ROUGHNESS], nv, pair);
  const lost = 1 / (pair[0] + pair[1]) - 1;
  const edge = pair[1] * s[S_F90];
  for (let c = 0; c < 3; c++) {
    const boost = 1 + s[S_F0 + c] * lost;
    const share = (s[S_F0 + c] * pair[0] + edge) * boost;
    s[S_BOOST + c] = boost;
    s[S_MIRRORED + c] = share < 1 ? share : 1;
  }
}

function loadTriangle(input: SurfaceInput, cache: TriangleCache, t: number, i0: number, i1: number, i2: number): void {
  cache.triangle = t;
  const { colors } = input.scene;
  cache.white = isWhite(colors, i0 * 4) && isWhite(colors, i1 * 4) && isWhite(colors, i2 * 4);
  cache.front = triangleEdges(input.clip, input.scene.triangles, t, cache.edges) < 0;
  const P = input.posed.positions;
  const { face } = cache;
  edgeCross(P, i0 * 3, i1 * 3, i2 * 3, face);
  const l = 1 / (crossLength(face) || 1);
  for (let k = 0; k < 3; k++) face[k] *= l;
}

function isWhite(colors: Float32Array, at: number): boolean {
  return colors[at] === 1 && colors[at + 1] === 1 && colors[at + 2] === 1 && colors[at + 3] === 1;
}

/** Longest footprint over the shortest that is still read sharply: beyond it the level follows the long axis. */
const MAX_ANISOTROPY_SQUARED = 9;

/** Reads the texture of a material slot into `texel`; derivatives are of uv along the pixel's x and y. */
function readSlot(
  input: SurfaceInput,
  slot: number,
  u: number,
  v: number,
  ux: number,
  vx: number,
  uy: number,
  vy: number,
): void {
  const { materials, textures, texels } = input.scene;
  const texture = materials[slot];
  if (materials[slot + 1] === 1) {
    const a = materials[slot + 2];
    const b = materials[slot + 3];
    const d = materials[slot + 5];
    const e = materials[slot + 6];
    const tu = a * u + b * v + materials[slot + 4];
    v = d * u + e * v + materials[slot + 7];
    u = tu;
    const tx = a * ux + b * vx;
    vx = d * ux + e * vx;
    ux = tx;
    const ty = a * uy + b * vy;
    vy = d * uy + e * vy;
    uy = ty;
  }
  const w = textures[texture * TEXTURE_STRIDE + 5];
  const h = textures[texture * TEXTURE_STRIDE + 6];
  const lx = ux * ux * w * w + vx * vx * h * h;
  const ly = uy * uy * w * w + vy * vy * h * h;
  const long = lx > ly ? lx : ly;
  const short = lx > ly ? ly : lx;
  const footprint = short > long / MAX_ANISOTROPY_SQUARED ? short : long / MAX_ANISOTROPY_SQUARED;
  sampleTexture(texels, textures, texture, u, v, 0.5 * roughLog2(footprint) + input.textureBias, texel);
}

const bits = new Float32Array(1);
const bitsAsInt = new Int32Array(bits.buffer);

/** Binary logarithm within 0.01 from the bits of a float: a level of detail needs no more. */
function roughLog2(x: number): number {
  bits[0] = x;
  const i = bitsAsInt[0];
  bitsAsInt[0] = (i & 0x007fffff) | 0x3f800000;
  const m = bits[0];
  return (i >> 23) - 128 + (-0.344845 * m + 2.024658) * m - 0.679813;
}

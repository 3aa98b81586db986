/** The material at a place of a triangle: normal, colours and roughness, with textures. Twin: core/raster/surface. */
import {
  colors,
  corner,
  f,
  linearTable,
  materials,
  normals,
  record,
  reflectanceTable,
  S_ALPHA,
  S_BASE,
  S_BOOST,
  S_DIFFUSE,
  S_EMISSION,
  S_F0,
  S_F90,
  S_MIRRORED,
  S_NORMAL,
  S_OCCLUSION,
  S_OPACITY,
  S_ROUGHNESS,
  S_TRANSMISSION,
  S_VIEW,
  srgbTable,
  steady,
  tangents,
  texels,
  textureBias,
  textures,
  triangleMaterial,
  two,
  uvs,
  whole,
} from './scenery';

/** Bytes of a material, of one of its texture slots, of a texture's record. */
const MATERIAL: usize = 288;
const SLOTS: usize = 80;
const SLOT: usize = 32;
const TEXTURE: usize = 196;
/** Places in a material, bytes: see core/scene/materialTable. */
const M_METALLIC: usize = 16;
const M_ROUGHNESS: usize = 20;
const M_NORMAL_SCALE: usize = 24;
const M_OCCLUSION: usize = 28;
const M_EMISSIVE: usize = 32;
const M_TRANSMISSION: usize = 56;
const M_F0: usize = 60;
const M_F90: usize = 72;
const M_HAS_TEXTURES: usize = 76;
const M_OCCLUSION_EVEN: usize = 240;

const MIN_ALPHA: f64 = 0.0016;
const TABLE_SIDE: i32 = 32;
const MAX_ANISOTROPY_SQUARED: f64 = 9;

/** Material whose values stand in the record, when they are the same all over it: neither pictures nor vertex colours. */
let standing: usize = 0;

/** Forgets what stands in the record. */
export function forgetMaterial(): void {
  standing = 0;
}

/** What a texture gave: red and green, blue and alpha. */
let texelRg: v128 = f64x2.splat(0);
let texelBa: v128 = f64x2.splat(0);

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function materialOf(t: i32): usize {
  return materials + <usize>load<u16>(triangleMaterial + (<usize>t << 1)) * MATERIAL;
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function put(at: usize, value: f64): void {
  store<f64>(record + at, value);
}

/**
 * Writes normal and material values of the record, whose position, view and face stand already.
 * @param side 1 where the front of the triangle is seen, −1 for its back
 * @param white all three corners have the vertex colour white
 * @param s0 … s3 change of b1 and b2 along one side of the footprint, then along the other
 */
export function materialAt(
  t: i32,
  side: f64,
  white: i32,
  b1: f64,
  b2: f64,
  s0: f64,
  s1: f64,
  s2: f64,
  s3: f64,
): void {
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  const b0 = 1 - b1 - b2;
  const vx = load<f64>(record + S_VIEW);
  const vy = load<f64>(record + S_VIEW + 8);
  const vz = load<f64>(record + S_VIEW + 16);
  const n0 = normals + i0 * 12;
  const n1 = normals + i1 * 12;
  const n2 = normals + i2 * 12;
  let nx = (f(n0) * b0 + f(n1) * b1 + f(n2) * b2) * side;
  let ny = (f(n0 + 4) * b0 + f(n1 + 4) * b1 + f(n2 + 4) * b2) * side;
  let nz = (f(n0 + 8) * b0 + f(n1 + 8) * b1 + f(n2 + 8) * b2) * side;
  let length = sqrt<f64>(nx * nx + ny * ny + nz * nz);
  if (!(length > 0)) length = 1;
  const nl = 1 / length;
  nx *= nl;
  ny *= nl;
  nz *= nl;

  const m = materialOf(t);
  if (m == standing && white) {
    const facing = setNormal(nx, ny, nz, vx, vy, vz);
    mirror(
      facing,
      load<f64>(record + S_ROUGHNESS),
      load<f64>(record + S_F0),
      load<f64>(record + S_F0 + 8),
      load<f64>(record + S_F0 + 16),
      load<f64>(record + S_F90),
    );
    return;
  }
  standing = white ? m : 0;
  let r = f(m);
  let g = f(m + 4);
  let b = f(m + 8);
  let opacity = f(m + 12);
  if (!white) {
    const c0 = colors + (i0 << 4);
    const c1 = colors + (i1 << 4);
    const c2 = colors + (i2 << 4);
    r *= f(c0) * b0 + f(c1) * b1 + f(c2) * b2;
    g *= f(c0 + 4) * b0 + f(c1 + 4) * b1 + f(c2 + 4) * b2;
    b *= f(c0 + 8) * b0 + f(c1 + 8) * b1 + f(c2 + 8) * b2;
    opacity *= f(c0 + 12) * b0 + f(c1 + 12) * b1 + f(c2 + 12) * b2;
  }
  let metallic = f(m + M_METALLIC);
  let roughness = f(m + M_ROUGHNESS);
  let occlusion = f(m + M_OCCLUSION_EVEN);
  let emitR = f(m + M_EMISSIVE);
  let emitG = f(m + M_EMISSIVE + 4);
  let emitB = f(m + M_EMISSIVE + 8);
  let normalLength: f64 = 1;

  if (load<f32>(m + M_HAS_TEXTURES) == 1) {
    standing = 0;
    const uv0 = uvs + (i0 << 3);
    const uv1 = uvs + (i1 << 3);
    const uv2 = uvs + (i2 << 3);
    const u0 = f(uv0);
    const v0 = f(uv0 + 4);
    const du1 = f(uv1) - u0;
    const dv1 = f(uv1 + 4) - v0;
    const du2 = f(uv2) - u0;
    const dv2 = f(uv2 + 4) - v0;
    const u = u0 + du1 * b1 + du2 * b2;
    const v = v0 + dv1 * b1 + dv2 * b2;
    const ux = du1 * s0 + du2 * s1;
    const vx_ = dv1 * s0 + dv2 * s1;
    const uy = du1 * s2 + du2 * s3;
    const vy_ = dv1 * s2 + dv2 * s3;
    let s = m + SLOTS;
    if (load<f32>(s) >= 0) {
      readSlot(s, u, v, ux, vx_, uy, vy_);
      r *= f64x2.extract_lane(texelRg, 0);
      g *= f64x2.extract_lane(texelRg, 1);
      b *= f64x2.extract_lane(texelBa, 0);
      opacity *= f64x2.extract_lane(texelBa, 1);
    }
    s = m + SLOTS + SLOT;
    if (load<f32>(s) >= 0) {
      readSlot(s, u, v, ux, vx_, uy, vy_);
      roughness *= f64x2.extract_lane(texelRg, 1);
      metallic *= f64x2.extract_lane(texelBa, 0);
    }
    s = m + SLOTS + 3 * SLOT;
    if (load<f32>(s) >= 0) {
      // the same picture often carries occlusion, roughness and metalness
      if (load<f32>(s) != load<f32>(m + SLOTS + SLOT)) readSlot(s, u, v, ux, vx_, uy, vy_);
      occlusion = 1 + f(m + M_OCCLUSION) * (f64x2.extract_lane(texelRg, 0) - 1);
    }
    s = m + SLOTS + 4 * SLOT;
    if (load<f32>(s) >= 0) {
      readSlot(s, u, v, ux, vx_, uy, vy_);
      emitR *= f64x2.extract_lane(texelRg, 0);
      emitG *= f64x2.extract_lane(texelRg, 1);
      emitB *= f64x2.extract_lane(texelBa, 0);
    }
    s = m + SLOTS + 2 * SLOT;
    if (load<f32>(s) >= 0) {
      readSlot(s, u, v, ux, vx_, uy, vy_);
      const scale = f(m + M_NORMAL_SCALE);
      const mx = (f64x2.extract_lane(texelRg, 0) * 2 - 1) * scale;
      const my = (f64x2.extract_lane(texelRg, 1) * 2 - 1) * scale;
      const mz = f64x2.extract_lane(texelBa, 0) * 2 - 1;
      normalLength = f64x2.extract_lane(texelBa, 1);
      const t0 = tangents + (i0 << 4);
      const t1 = tangents + (i1 << 4);
      const t2 = tangents + (i2 << 4);
      const tx = f(t0) * b0 + f(t1) * b1 + f(t2) * b2;
      const ty = f(t0 + 4) * b0 + f(t1 + 4) * b1 + f(t2 + 4) * b2;
      const tz = f(t0 + 8) * b0 + f(t1 + 8) * b1 + f(t2 + 8) * b2;
      const w = f(t0 + 12);
      // cross(n, t) runs to the bitangent of the front side; on the back the frame is mirrored with the normal
      const bx = (ny * tz - nz * ty) * w * side;
      const by = (nz * tx - nx * tz) * w * side;
      const bz = (nx * ty - ny * tx) * w * side;
      const qx = tx * mx + bx * my + nx * mz;
      const qy = ty * mx + by * my + ny * mz;
      const qz = tz * mx + bz * my + nz * mz;
      const ql = sqrt<f64>(qx * qx + qy * qy + qz * qz);
      if (ql > 0) {
        nx = qx / ql;
        ny = qy / ql;
        nz = qz / ql;
      }
    }
  }

  const facing = setNormal(nx, ny, nz, vx, vy, vz);
  let alpha = roughness * roughness;
  if (alpha < MIN_ALPHA) alpha = MIN_ALPHA;
  if (steady && normalLength < 1) {
    // Toksvig 2005
    const variance = (1 - normalLength) / normalLength;
    alpha = min<f64>(1, sqrt<f64>(alpha * alpha + variance));
    roughness = sqrt<f64>(alpha);
  }
  const matte = 1 - metallic;
  const transmission = f(m + M_TRANSMISSION) * matte;
  const solid = matte - transmission;
  const f0 = f(m + M_F0) * matte + r * metallic;
  const f1 = f(m + M_F0 + 4) * matte + g * metallic;
  const f2 = f(m + M_F0 + 8) * matte + b * metallic;
  const f90 = f(m + M_F90) * matte + metallic;
  put(S_DIFFUSE, r * solid);
  put(S_DIFFUSE + 8, g * solid);
  put(S_DIFFUSE + 16, b * solid);
  put(S_F0, f0);
  put(S_F0 + 8, f1);
  put(S_F0 + 16, f2);
  put(S_F90, f90);
  put(S_ROUGHNESS, roughness);
  put(S_ALPHA, alpha);
  put(S_OCCLUSION, occlusion);
  put(S_EMISSION, emitR);
  put(S_EMISSION + 8, emitG);
  put(S_EMISSION + 16, emitB);
  put(S_OPACITY, opacity);
  put(S_TRANSMISSION, transmission);
  put(S_BASE, r);
  put(S_BASE + 8, g);
  put(S_BASE + 16, b);

  mirror(facing, roughness, f0, f1, f2, f90);
}

/** Writes the normal, kept just on the viewer's side. @returns its cosine to the view */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function setNormal(nx: f64, ny: f64, nz: f64, vx: f64, vy: f64, vz: f64): f64 {
  // a bent normal may face away at grazing angles: highlights would turn black
  let facing = nx * vx + ny * vy + nz * vz;
  if (facing < 0.02) {
    const push = 0.02 - facing;
    nx += vx * push;
    ny += vy * push;
    nz += vz * push;
    const l = 1 / sqrt<f64>(nx * nx + ny * ny + nz * nz);
    nx *= l;
    ny *= l;
    nz *= l;
    facing = 0.02;
  }
  put(S_NORMAL, nx);
  put(S_NORMAL + 8, ny);
  put(S_NORMAL + 16, nz);
  return facing;
}

/** Writes what is mirrored of light from all around (Turquin 2019). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function mirror(facing: f64, roughness: f64, f0: f64, f1: f64, f2: f64, f90: f64): void {
  // the table holds scale and offset side by side
  const nv = facing < 1 ? facing : 1;
  const y = min<f64>(32 - 1.001, roughness * (TABLE_SIDE - 1));
  const x = min<f64>(32 - 1.001, sqrt<f64>(nv) * (TABLE_SIDE - 1));
  const y0 = <i32>y;
  const x0 = <i32>x;
  const fx = f64x2.splat(x - <f64>x0);
  const p = reflectanceTable + (<usize>(y0 * TABLE_SIDE + x0) << 3);
  const a = two(p);
  const c = two(p + 256);
  const top = f64x2.add(a, f64x2.mul(f64x2.sub(two(p + 8), a), fx));
  const bottom = f64x2.add(c, f64x2.mul(f64x2.sub(two(p + 264), c), fx));
  const both = f64x2.add(top, f64x2.mul(f64x2.sub(bottom, top), f64x2.splat(y - <f64>y0)));
  const scale = f64x2.extract_lane(both, 0);
  const offset = f64x2.extract_lane(both, 1);
  const lost = 1 / (scale + offset) - 1;
  const edge = offset * f90;
  mirrorShare(0, f0, lost, scale, edge);
  mirrorShare(8, f1, lost, scale, edge);
  mirrorShare(16, f2, lost, scale, edge);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function mirrorShare(at: usize, f0: f64, lost: f64, scale: f64, edge: f64): void {
  const boost = 1 + f0 * lost;
  const share = (f0 * scale + edge) * boost;
  put(S_BOOST + at, boost);
  put(S_MIRRORED + at, share < 1 ? share : 1);
}

/** Reads the texture of a material's slot; derivatives are of uv along the pixel's x and y. */
function readSlot(slot: usize, u: f64, v: f64, ux: f64, vx: f64, uy: f64, vy: f64): void {
  if (load<f32>(slot, 4) == 1) {
    const a = f(slot + 8);
    const b = f(slot + 12);
    const d = f(slot + 20);
    const e = f(slot + 24);
    const tu = a * u + b * v + f(slot + 16);
    v = d * u + e * v + f(slot + 28);
    u = tu;
    const tx = a * ux + b * vx;
    vx = d * ux + e * vx;
    ux = tx;
    const ty = a * uy + b * vy;
    vy = d * uy + e * vy;
    uy = ty;
  }
  const table = textures + <usize>load<f32>(slot) * TEXTURE;
  const w = <f64>load<i32>(table, 20);
  const h = <f64>load<i32>(table, 24);
  const lx = ux * ux * w * w + vx * vx * h * h;
  const ly = uy * uy * w * w + vy * vy * h * h;
  const long = lx > ly ? lx : ly;
  const short = lx > ly ? ly : lx;
  const footprint = short > long / MAX_ANISOTROPY_SQUARED ? short : long / MAX_ANISOTROPY_SQUARED;
  sampleTexture(table, u, v, 0.5 * roughLog2(footprint) + textureBias);
}

/** Binary logarithm within 0.01 from the bits of a float. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function roughLog2(x: f64): f64 {
  const i = reinterpret<i32>(<f32>x);
  const m = <f64>reinterpret<f32>((i & 0x007fffff) | 0x3f800000);
  return <f64>((i >> 23) - 128) + (-0.344845 * m + 2.024658) * m - 0.679813;
}

/** Trilinear look-up into the two halves of the texel. @param table the texture's record */
export function sampleTexture(table: usize, u: f64, v: f64, lod: f64): void {
  const levels = load<i32>(table);
  const lut = load<i32>(table, 12) == 1 ? srgbTable : linearTable;
  if (!(lod > 0)) lod = 0;
  if (lod > <f64>(levels - 1)) lod = <f64>(levels - 1);
  const base = <i32>lod;
  const far = lod - <f64>base;
  const s = wrapCoordinate(u, load<i32>(table, 4));
  const t = wrapCoordinate(v, load<i32>(table, 8));
  texelRg = f64x2.splat(0);
  texelBa = f64x2.splat(0);
  addBilinear(table, base, s, t, lut, 1 - far);
  if (far > 0) addBilinear(table, base + 1, s, t, lut, far);
}

/** Red and green, or blue with alpha, of a texel. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function redGreen(p: usize, lut: usize): v128 {
  return f64x2.replace_lane(
    f64x2.splat(f(lut + (<usize>load<u8>(p) << 2))),
    1,
    f(lut + (<usize>load<u8>(p, 1) << 2)),
  );
}

function addBilinear(table: usize, level: i32, s: f64, t: f64, lut: usize, weight: f64): void {
  const l = table + 16 + <usize>level * 12;
  const offset = load<i32>(l);
  const w = load<i32>(l, 4);
  const h = load<i32>(l, 8);
  const x = s * <f64>w - 0.5;
  const y = t * <f64>h - 0.5;
  const x0 = floor<f64>(x);
  const y0 = floor<f64>(y);
  const fx = x - x0;
  const fy = y - y0;
  const repeatS = load<i32>(table, 4) == 0;
  const repeatT = load<i32>(table, 8) == 0;
  const ix = whole(x0);
  const iy = whole(y0);
  const xa = ix < 0 ? (repeatS ? w - 1 : 0) : ix;
  const xb = ix + 1 >= w ? (repeatS ? 0 : w - 1) : ix + 1;
  const ya = iy < 0 ? (repeatT ? h - 1 : 0) : iy;
  const yb = iy + 1 >= h ? (repeatT ? 0 : h - 1) : iy + 1;
  const from = texels + <usize>offset;
  const p00 = from + (<usize>(ya * w + xa) << 2);
  const p10 = from + (<usize>(ya * w + xb) << 2);
  const p01 = from + (<usize>(yb * w + xa) << 2);
  const p11 = from + (<usize>(yb * w + xb) << 2);
  const k11 = fx * fy * weight;
  const k10 = fx * weight - k11;
  const k01 = fy * weight - k11;
  const k00 = weight - k10 - k01 - k11;
  const w11 = f64x2.splat(k11);
  const w10 = f64x2.splat(k10);
  const w01 = f64x2.splat(k01);
  const w00 = f64x2.splat(k00);
  const rg = f64x2.add(
    f64x2.add(
      f64x2.add(f64x2.mul(redGreen(p00, lut), w00), f64x2.mul(redGreen(p10, lut), w10)),
      f64x2.mul(redGreen(p01, lut), w01),
    ),
    f64x2.mul(redGreen(p11, lut), w11),
  );
  texelRg = f64x2.add(texelRg, rg);
  const blue =
    f(lut + (<usize>load<u8>(p00, 2) << 2)) * k00 +
    f(lut + (<usize>load<u8>(p10, 2) << 2)) * k10 +
    f(lut + (<usize>load<u8>(p01, 2) << 2)) * k01 +
    f(lut + (<usize>load<u8>(p11, 2) << 2)) * k11;
  const alpha =
    (<f64>load<u8>(p00, 3) * k00 +
      <f64>load<u8>(p10, 3) * k10 +
      <f64>load<u8>(p01, 3) * k01 +
      <f64>load<u8>(p11, 3) * k11) *
    (1 / 255.0);
  texelBa = f64x2.add(texelBa, f64x2.replace_lane(f64x2.splat(blue), 1, alpha));
}

/** Brings a coordinate into [0, 1] by the wrap mode (0 repeat, 1 mirror, 2 clamp). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function wrapCoordinate(t: f64, mode: i32): f64 {
  if (!(t - t == 0)) return 0; // NaN or infinite uvs read the first texel
  if (mode == 2) return t < 0 ? 0 : t > 1 ? 1 : t;
  const floored = floor<f64>(t);
  const rest = t - floored;
  if (mode == 0) return rest;
  return (<i64>floored & 1) == 0 ? rest : 1 - rest;
}

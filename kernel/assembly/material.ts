/** What the surfaces of a row are made of, with textures, and what they mirror. Twin: core/raster/surface. */
import { add, all, allAt, firstHalves, firstTwo, lastHalves, lastTwo, lesser, mix, mul, over, root, sub } from './four';
import {
  BASE,
  BOOST,
  col,
  COLUMN,
  COVERS,
  DIFFUSE,
  F0,
  F90,
  FACING,
  fourOf,
  fours,
  GLOW,
  madeOf,
  ALPHA,
  MATERIAL,
  MATERIAL_NUMBERS,
  MATTE,
  MIRRORED,
  NORMAL,
  OCCLUSION,
  ofOneTriangle,
  put,
  ROUGHNESS,
  row,
  TRANSMISSION,
  TRIANGLE,
  spacing,
} from './row';
import { corner, f, reflectanceTable, steady } from './scenery';
import {
  bend,
  bends,
  bentX,
  bentY,
  bentZ,
  ALPHA_BLEND,
  blue,
  emitBlue,
  emitGreen,
  emitRed,
  green,
  lack,
  look,
  M_ALPHA_MODE,
  M_EMISSIVE_R,
  M_F0_R,
  M_F90,
  M_HAS_TEXTURES,
  M_METALLIC,
  M_OCCLUSION_EVEN,
  M_ROUGHNESS,
  M_TRANSMISSION,
  metallic,
  MIN_ALPHA,
  occlusion,
  opacity,
  red,
  roughness,
  widthOf,
} from './materialAt';
import { edgesAt, inverseOf, KEPT_MATERIAL, KEPT_SIDE, KEPT_WHITE, keptOf, slopesOf } from './surface';

const TABLE_SIDE: i32 = 32;

/** Plain materials whose numbers are kept, each of 128 bytes with its address last. */
const PLAIN: usize = 16;
const PLAIN_SHIFT: usize = 7;
const PLAIN_MATERIAL: usize = 124;
let plain: usize = 0;

/** @param at room for PLAIN materials */
export function bindMaterials(at: usize): void {
  plain = at;
}

export function forgetMaterials(): void {
  for (let k: usize = 0; k < PLAIN; k++) store<u32>(plain + (k << PLAIN_SHIFT), 0, PLAIN_MATERIAL);
  for (let a: usize = 0; a < COLUMN; a += 16) store<u32>(madeOf(row + a), 0);
}

/** The numbers of a material that is the same all over a triangle, 0 where it is not. @param at the kept triangle */
function plainOf(at: usize): usize {
  const m = <usize>load<u32>(at, KEPT_MATERIAL);
  if (load<i32>(at, KEPT_WHITE) == 0 || load<f32>(m, M_HAS_TEXTURES) == 1) return 0;
  const to = plain + (((m >> 5) & (PLAIN - 1)) << PLAIN_SHIFT);
  if (<usize>load<u32>(to, PLAIN_MATERIAL) != m) {
    store<u32>(to, <u32>m, PLAIN_MATERIAL);
    finish(to, 4, m, f(m), f(m + 4), f(m + 8), f(m + 12), f(m + M_METALLIC), f(m + M_ROUGHNESS), 0);
    surround(to, 4, f(m + M_OCCLUSION_EVEN), f(m + M_EMISSIVE_R), f(m + M_EMISSIVE_R + 4), f(m + M_EMISSIVE_R + 8));
  }
  return to;
}

/** Writes the materials of the row's fours. @param px0, py place of the row's first pixel in the tile */
export function materialsOfRow(px0: f32, py: f32): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const px = px0 + <f32>((a - row) >> 2) * spacing;
    const at0 = keptOf(load<i32>(a, TRIANGLE));
    const material = load<u32>(at0, KEPT_MATERIAL);
    const first = plainOf(at0);
    let same = first != 0;
    for (let i: usize = ofOneTriangle(a) ? 4 : 1; same && i < 4; i++) {
      const at = keptOf(load<i32>(a + (i << 2), TRIANGLE));
      // not by where its numbers are kept: another material may have taken that place
      same = load<u32>(at, KEPT_MATERIAL) == material && load<i32>(at, KEPT_WHITE) != 0;
    }
    if (same) {
      // the row above mostly was of the same
      if (load<u32>(madeOf(a)) == material) continue;
      store<u32>(madeOf(a), material);
      for (let c: usize = 0; c < MATERIAL_NUMBERS; c++) put(a, MATERIAL + c * COLUMN, allAt(first + (c << 2)));
      continue;
    }
    store<u32>(madeOf(a), 0);
    for (let i: usize = 0; i < 4; i++) {
      const t = load<i32>(a + (i << 2), TRIANGLE);
      const at = keptOf(t);
      const from = plainOf(at);
      const to = a + (i << 2);
      if (from == 0) richMaterial(t, at, px + <f32>i * spacing, py, to);
      else
        for (let c: usize = 0; c < MATERIAL_NUMBERS; c++)
          store<f32>(to + MATERIAL + c * COLUMN, load<f32>(from + (c << 2)));
    }
  }
}

/** Writes one pixel's material where it varies over the triangle. @param to the pixel's address in the first column */
function richMaterial(t: i32, at: usize, px: f32, py: f32, to: usize): void {
  const edges = edgesAt(at, px, py);
  const inverse = inverseOf(edges);
  const weights = mul(edges, inverse);
  const across = slopesOf(at, weights, inverse, false);
  const down = slopesOf(at, weights, inverse, true);
  const b1 = <f64>f32x4.extract_lane(weights, 0);
  const b2 = <f64>f32x4.extract_lane(weights, 1);
  const i0 = corner(t, 0);
  const i1 = corner(t, 1);
  const i2 = corner(t, 2);
  const m = <usize>load<u32>(at, KEPT_MATERIAL);
  look(
    m,
    i0,
    i1,
    i2,
    load<i32>(at, KEPT_WHITE) != 0,
    b1,
    b2,
    f32x4.extract_lane(across, 0),
    f32x4.extract_lane(across, 1),
    f32x4.extract_lane(down, 0),
    f32x4.extract_lane(down, 1),
  );
  if (bends) {
    bend(i0, i1, i2, b1, b2, f(to + NORMAL), f(to + NORMAL + COLUMN), f(to + NORMAL + 2 * COLUMN), f(at + KEPT_SIDE));
    store<f32>(to + NORMAL, <f32>bentX);
    store<f32>(to + NORMAL + COLUMN, <f32>bentY);
    store<f32>(to + NORMAL + 2 * COLUMN, <f32>bentZ);
  }
  finish(to + MATERIAL, COLUMN, m, red, green, blue, opacity, metallic, roughness, lack);
  surround(to + MATERIAL, COLUMN, occlusion, emitRed, emitGreen, emitBlue);
}

/** A place among a material's numbers: columns or neighbours. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function set(to: usize, step: usize, column: usize, value: f64): void {
  store<f32>(to + ((column - MATERIAL) / COLUMN) * step, <f32>value);
}

/**
 * Writes what a material does with light.
 * @param to its first number @param step bytes from one number to the next @param short what the normal's length lacks of one
 */
function finish(
  to: usize,
  step: usize,
  m: usize,
  r: f64,
  g: f64,
  b: f64,
  cover: f64,
  metal: f64,
  rough: f64,
  short: f64,
): void {
  const alpha = widthOf(rough, short);
  if (steady && short > 0) rough = sqrt<f64>(alpha);
  const matte = 1 - metal;
  const transmission = f(m + M_TRANSMISSION) * matte;
  const solid = matte - transmission;
  const d0 = r * solid;
  const d1 = g * solid;
  const d2 = b * solid;
  set(to, step, DIFFUSE, d0);
  set(to, step, DIFFUSE + COLUMN, d1);
  set(to, step, DIFFUSE + 2 * COLUMN, d2);
  set(to, step, ROUGHNESS, rough);
  set(to, step, F0, f(m + M_F0_R) * matte + r * metal);
  set(to, step, F0 + COLUMN, f(m + M_F0_R + 4) * matte + g * metal);
  set(to, step, F0 + 2 * COLUMN, f(m + M_F0_R + 8) * matte + b * metal);
  set(to, step, F90, f(m + M_F90) * matte + metal);
  set(to, step, ALPHA, max<f64>(alpha, MIN_ALPHA));
  set(to, step, BASE, r);
  set(to, step, BASE + COLUMN, g);
  set(to, step, BASE + 2 * COLUMN, b);
  set(to, step, TRANSMISSION, transmission);
  const blends = load<f32>(m, M_ALPHA_MODE) == ALPHA_BLEND;
  set(to, step, COVERS, blends ? min<f64>(1, max<f64>(0, cover)) : 1);
  set(to, step, MATTE, d0 + d1 + d2 > 0 ? 1 : 0);
}

/** Writes what a material lets in of its surroundings, and its glow. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function surround(to: usize, step: usize, open: f64, r: f64, g: f64, b: f64): void {
  set(to, step, OCCLUSION, open);
  set(to, step, GLOW, r);
  set(to, step, GLOW + COLUMN, g);
  set(to, step, GLOW + 2 * COLUMN, b);
}

/** Writes what the row's fours mirror of light from all around (Turquin 2019). */
export function mirrorsOfRow(): void {
  const most = all(32 - 1.001);
  const one = all(1);
  const last = all(<f32>(TABLE_SIDE - 1));
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const y = lesser(mul(col(a, ROUGHNESS), last), most);
    const x = lesser(mul(root(lesser(col(a, FACING), one)), last), most);
    const y0 = i32x4.trunc_sat_f32x4_s(y);
    const x0 = i32x4.trunc_sat_f32x4_s(x);
    const fx = sub(x, f32x4.convert_i32x4_s(x0));
    const fy = sub(y, f32x4.convert_i32x4_s(y0));
    // scale and offset lie side by side, and those of the next column behind them
    const at = i32x4.shl(i32x4.add(i32x4.shl(y0, 5), x0), 3);
    const e0 = between(i32x4.extract_lane(at, 0), v128.shuffle<i32>(fy, fy, 0, 0, 0, 0));
    const e1 = between(i32x4.extract_lane(at, 1), v128.shuffle<i32>(fy, fy, 1, 1, 1, 1));
    const e2 = between(i32x4.extract_lane(at, 2), v128.shuffle<i32>(fy, fy, 2, 2, 2, 2));
    const e3 = between(i32x4.extract_lane(at, 3), v128.shuffle<i32>(fy, fy, 3, 3, 3, 3));
    const left0 = firstTwo(e0, e1);
    const left1 = firstTwo(e2, e3);
    const right0 = lastTwo(e0, e1);
    const right1 = lastTwo(e2, e3);
    const scale = mix(firstHalves(left0, left1), firstHalves(right0, right1), fx);
    const offset = mix(lastHalves(left0, left1), lastHalves(right0, right1), fx);
    const lost = sub(over(one, add(scale, offset)), one);
    const edge = mul(offset, col(a, F90));
    for (let c: usize = 0; c < 3 * COLUMN; c += COLUMN) {
      const f0 = col(a, F0 + c);
      const boost = add(one, mul(f0, lost));
      put(a, BOOST + c, boost);
      put(a, MIRRORED + c, lesser(mul(add(mul(f0, scale), edge), boost), one));
    }
  }
}

/** Between two rows of the table. @param at bytes from its start: of its own reach only, whatever it was made of */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function between(at: i32, share: v128): v128 {
  const p = reflectanceTable + <usize>(at & 0x1ff8);
  return mix(v128.load(p), v128.load(p, 256), share);
}

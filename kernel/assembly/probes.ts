/** What probes say of the light that reaches a row of surfaces, four probes at once. Twin: core/around/probes/gather, which says how it is done. */
import { add, all, greater, lesser, mul, over, pick, root, sub } from './four';
import * as P from './layouts/probe';
import * as O from './layouts/probeOrder';
import { asking, BOUNCE_SURE, COLUMN, FACE, fourOf, fours, NORMAL, POSITION } from './row';
import { surerBy, tellPlace } from './tell';

const BEHIND: f32 = 0.05;
const FAINT: f32 = 0.2;
const HIDDEN: f32 = 1e-4;
const BURIED: f32 = 1e-7;
const BURIED_STATE: f32 = 2;
const SPREAD: f32 = 0.02;
/** Texels along a side of a probe's maps, without and with their border; bytes of a texel. */
const SIDE: f32 = 8;
const STRIDE: i32 = 10;
const LIGHT_TEXEL: i32 = 16;
const DEPTH_TEXEL: i32 = 8;

/** Reading an octahedral map: texel of four directions, and where between it and the next they are. */
let texel: v128 = i32x4.splat(0);
let right: v128 = f32x4.splat(0);
let down: v128 = f32x4.splat(0);

/** Adds what a box of probes knows to the places of the row that are not sure yet. @param order `probeOrder` */
export function askProbes(order: usize): void {
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const unsure = f32x4.lt(v128.load(a, BOUNCE_SURE), all(1));
    const ask = i32x4.bitmask(v128.and(asking(a), unsure));
    for (let lane = 0; lane < 4; lane++) if (((ask >> lane) & 1) == 1) askOne(a + ((<usize>lane) << 2), order);
  }
}

/** Where a place lies along an axis of the grid: its cell, how far into it, and how sure the box is of it. */
let cell: i32 = 0;
let share: f32 = 0;
let sure: f32 = 0;

// @ts-expect-error: a decorator of AssemblyScript
@inline
function placeInBox(order: usize, axis: usize, at: f32): void {
  const from = load<f32>(order + axis, O.PROBES_MIN);
  const step = load<f32>(order + axis, O.PROBES_STEP);
  const count = load<i32>(order + axis, O.PROBES_COUNT);
  const beyond = max<f32>(from - at, at - load<f32>(order + axis, O.PROBES_MAX)) / step;
  if (beyond > 0) sure *= max<f32>(0, 1 - beyond);
  const g = min<f32>(<f32>(count - 1), max<f32>(0, (at - from) / step - 0.5));
  cell = min<i32>(max<i32>(0, count - 2), <i32>g);
  share = g - <f32>cell;
}

/** @param a address of a place in the row's first column */
function askOne(a: usize, order: usize): void {
  const off = load<f32>(order, O.PROBES_OFF);
  const x = load<f32>(a, POSITION);
  const y = load<f32>(a, POSITION + COLUMN);
  const z = load<f32>(a, POSITION + 2 * COLUMN);
  const ox = x + load<f32>(a, FACE) * off;
  const oy = y + load<f32>(a, FACE + COLUMN) * off;
  const oz = z + load<f32>(a, FACE + 2 * COLUMN) * off;
  sure = 1;
  placeInBox(order, 0, ox);
  const x0 = cell;
  const fx = share;
  placeInBox(order, 4, oy);
  const y0 = cell;
  const fy = share;
  placeInBox(order, 8, oz);
  const z0 = cell;
  const fz = share;
  const now = surerBy(a, sure);
  if (now == load<f32>(a, BOUNCE_SURE)) return;
  const across = load<i32>(order, O.PROBES_COUNT);
  const deep = load<i32>(order, O.PROBES_COUNT + 4);
  const x1 = fx > 0 ? 1 : 0;
  const y1 = fy > 0 ? across : 0;
  const first = load<u32>(order, O.PROBES_FIRST);
  const number = i32x4.add(i32x4.splat(x0 + across * (y0 + deep * z0)), i32x4(0, x1, y1, x1 + y1));
  const near = mul(f32x4(1 - fx, fx, 1 - fx, fx), f32x4(1 - fy, 1 - fy, fy, fy));

  const nx = load<f32>(a, NORMAL);
  const ny = load<f32>(a, NORMAL + COLUMN);
  const nz = load<f32>(a, NORMAL + 2 * COLUMN);
  readMap(all(nx), all(ny), all(nz));
  const w = f32x4.extract_lane(right, 0);
  const v = f32x4.extract_lane(down, 0);
  const reading = <usize>(P.PROBE_LIGHT + i32x4.extract_lane(texel, 0) * LIGHT_TEXEL);
  const w00 = all((1 - w) * (1 - v));
  const w10 = all(w * (1 - v));
  const w01 = all((1 - w) * v);
  const w11 = all(w * v);

  let light = all(0);
  let weights = all(0);
  const baseX = all(load<f32>(order, O.PROBES_BASE));
  const baseY = all(load<f32>(order, O.PROBES_BASE + 4));
  const baseZ = all(load<f32>(order, O.PROBES_BASE + 8));
  for (let layer = 0; layer < 2; layer++) {
    const ahead: f32 = layer == 0 ? <f32>1 - fz : fz;
    if (!(ahead > 0)) continue;
    const at = i32x4.add(
      i32x4.mul(i32x4.add(number, i32x4.splat(layer * across * deep)), i32x4.splat(<i32>P.PROBE_BYTES)),
      i32x4.splat(first),
    );
    const p0 = <usize>i32x4.extract_lane(at, 0);
    const p1 = <usize>i32x4.extract_lane(at, 1);
    const p2 = <usize>i32x4.extract_lane(at, 2);
    const p3 = <usize>i32x4.extract_lane(at, 3);
    // places of the four, as columns
    const r0 = v128.load(p0, P.PROBE_POSITION);
    const r1 = v128.load(p1, P.PROBE_POSITION);
    const r2 = v128.load(p2, P.PROBE_POSITION);
    const r3 = v128.load(p3, P.PROBE_POSITION);
    const low01 = v128.shuffle<f32>(r0, r1, 0, 4, 1, 5);
    const low23 = v128.shuffle<f32>(r2, r3, 0, 4, 1, 5);
    const high01 = v128.shuffle<f32>(r0, r1, 2, 6, 3, 7);
    const high23 = v128.shuffle<f32>(r2, r3, 2, 6, 3, 7);
    const px = sub(v128.shuffle<f32>(low01, low23, 0, 1, 4, 5), baseX);
    const py = sub(v128.shuffle<f32>(low01, low23, 2, 3, 6, 7), baseY);
    const pz = sub(v128.shuffle<f32>(high01, high23, 0, 1, 4, 5), baseZ);
    const state = v128.shuffle<f32>(high01, high23, 2, 3, 6, 7);

    const sees = visibility(sub(all(ox), px), sub(all(oy), py), sub(all(oz), pz), p0, p1, p2, p3);
    const tx = sub(px, all(x));
    const ty = sub(py, all(y));
    const tz = sub(pz, all(z));
    const away = root(add(add(mul(tx, tx), mul(ty, ty)), mul(tz, tz)));
    const towards = add(add(mul(tx, all(nx)), mul(ty, all(ny))), mul(tz, all(nz)));
    const cosine = pick(f32x4.eq(away, all(0)), all(1), over(towards, away));
    const wrapped = mul(add(cosine, all(1)), all(0.5));
    let weight = mul(add(mul(wrapped, wrapped), all(BEHIND)), greater(sees, all(HIDDEN)));
    const fainter = mul(weight, mul(mul(weight, weight), all(1 / (FAINT * FAINT))));
    weight = greater(pick(f32x4.lt(weight, all(FAINT)), fainter, weight), all(BURIED * 10));
    weight = pick(f32x4.eq(state, all(BURIED_STATE)), all(BURIED), weight);
    weight = mul(mul(weight, near), all(ahead));
    weights = add(weights, weight);
    light = add(light, mul(lightAt(p0 + reading, w00, w10, w01, w11), v128.shuffle<f32>(weight, weight, 0, 0, 0, 0)));
    light = add(light, mul(lightAt(p1 + reading, w00, w10, w01, w11), v128.shuffle<f32>(weight, weight, 1, 1, 1, 1)));
    light = add(light, mul(lightAt(p2 + reading, w00, w10, w01, w11), v128.shuffle<f32>(weight, weight, 2, 2, 2, 2)));
    light = add(light, mul(lightAt(p3 + reading, w00, w10, w01, w11), v128.shuffle<f32>(weight, weight, 3, 3, 3, 3)));
  }
  const sum =
    f32x4.extract_lane(weights, 0) +
    f32x4.extract_lane(weights, 1) +
    f32x4.extract_lane(weights, 2) +
    f32x4.extract_lane(weights, 3);
  tellPlace(a, light, sum, now, load<i32>(order, O.PROBES_AFTER) != 0);
}

/** What a probe knows between four texels, by their weights. @param at the first of them */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function lightAt(at: usize, w00: v128, w10: v128, w01: v128, w11: v128): v128 {
  const upper = add(mul(v128.load(at), w00), mul(v128.load(at, LIGHT_TEXEL), w10));
  const below = at + STRIDE * LIGHT_TEXEL;
  return add(upper, add(mul(v128.load(below), w01), mul(v128.load(below, LIGHT_TEXEL), w11)));
}

/** Directions of any length become texels of a map. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function readMap(x: v128, y: v128, z: v128): void {
  const one = all(1);
  const s = over(one, add(add(f32x4.abs(x), f32x4.abs(y)), f32x4.abs(z)));
  const a = mul(x, s);
  const b = mul(z, s);
  const sign = v128.and(a, i32x4.splat(0x80000000));
  const signB = v128.and(b, i32x4.splat(0x80000000));
  const below = f32x4.lt(y, all(0));
  const foldA = v128.or(sub(one, f32x4.abs(b)), sign);
  const foldB = v128.or(sub(one, f32x4.abs(a)), signB);
  const half = all(0.5);
  const u = add(mul(add(mul(pick(below, foldA, a), half), half), all(SIDE)), half);
  const v = add(mul(add(mul(pick(below, foldB, b), half), half), all(SIDE)), half);
  // rounding must not lead beyond the border
  const u0 = lesser(f32x4.floor(u), all(SIDE));
  const v0 = lesser(f32x4.floor(v), all(SIDE));
  right = sub(u, u0);
  down = sub(v, v0);
  texel = i32x4.add(i32x4.mul(i32x4.trunc_sat_f32x4_s(v0), i32x4.splat(STRIDE)), i32x4.trunc_sat_f32x4_s(u0));
}

/** How likely four probes see a place. @param dx, dy, dz from each to the place */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function visibility(dx: v128, dy: v128, dz: v128, p0: usize, p1: usize, p2: usize, p3: usize): v128 {
  const distance = root(add(add(mul(dx, dx), mul(dy, dy)), mul(dz, dz)));
  readMap(dx, dy, dz);
  const d0 = depthAt(
    p0,
    i32x4.extract_lane(texel, 0),
    v128.shuffle<f32>(right, right, 0, 0, 0, 0),
    v128.shuffle<f32>(down, down, 0, 0, 0, 0),
  );
  const d1 = depthAt(
    p1,
    i32x4.extract_lane(texel, 1),
    v128.shuffle<f32>(right, right, 1, 1, 1, 1),
    v128.shuffle<f32>(down, down, 1, 1, 1, 1),
  );
  const d2 = depthAt(
    p2,
    i32x4.extract_lane(texel, 2),
    v128.shuffle<f32>(right, right, 2, 2, 2, 2),
    v128.shuffle<f32>(down, down, 2, 2, 2, 2),
  );
  const d3 = depthAt(
    p3,
    i32x4.extract_lane(texel, 3),
    v128.shuffle<f32>(right, right, 3, 3, 3, 3),
    v128.shuffle<f32>(down, down, 3, 3, 3, 3),
  );
  const d01 = v128.shuffle<f32>(d0, d1, 0, 4, 1, 5);
  const d23 = v128.shuffle<f32>(d2, d3, 0, 4, 1, 5);
  const mean = v128.shuffle<f32>(d01, d23, 0, 1, 4, 5);
  const square = v128.shuffle<f32>(d01, d23, 2, 3, 6, 7);
  const least = mul(all(SPREAD), distance);
  const variance = greater(mul(least, least), sub(square, mul(mean, mean)));
  const beyond = sub(distance, mean);
  const chance = over(variance, add(variance, mul(beyond, beyond)));
  return pick(f32x4.gt(beyond, all(0)), mul(mul(chance, chance), chance), all(1));
}

/** Mean distance and mean square between four texels of a probe, in the first two lanes. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function depthAt(probe: usize, texel: i32, u: v128, v: v128): v128 {
  const at = probe + <usize>(P.PROBE_DEPTH + texel * DEPTH_TEXEL);
  const upper = v128.load(at);
  const between = add(upper, mul(sub(v128.load(at, STRIDE * DEPTH_TEXEL), upper), v));
  return add(between, mul(sub(v128.shuffle<f32>(between, between, 2, 3, 2, 3), between), u));
}

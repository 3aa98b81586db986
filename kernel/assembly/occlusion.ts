/** How open places are to what is around them, four at once. Twin: core/around/occlusion/horizon, which says how it is done. */
import { drawOf, firsts, seconds } from './draws';
import { add, all, allAt, dot, greater, lesser, mul, over, pick, root, sub } from './four';
import * as G from './layouts/gridPoint';
import * as O from './layouts/occlusionOrder';
import * as P from './layouts/occlusionPlaces';
import { bendFour, col, COLUMN, fourOf, fours, LIVE, NORMAL, OPEN, POSITION, put, row } from './row';

const PI: f32 = 3.141592653589793;
const FLATTEST: f32 = 0.05;

/**
 * @param at `occlusionPlaces`: so many fours of them are looked around from
 * @param order `occlusionOrder`
 * @param number of the sample: each looks other ways
 */
export function lookAround(at: usize, order: usize, fours: i32, number: i32): void {
  for (let k = 0; k < fours; k++) lookFour(at + ((<usize>k) << 4), order, number);
}

/** A share of neighbours below which a place looks around itself. */
const LEAST: f32 = 0.05;
const OFF_PLANE: f32 = 0.2;

/**
 * Writes openness and bent normals of the row's fours. Twin: core/around/occlusion/openOcclusion.
 * @param at room for places, see `lookAround` @param px, py where the row's first pixel is seen
 */
export function occludeRow(at: usize, order: usize, number: i32, px: f64, py: f64): void {
  const grid = <usize>load<u32>(order + O.OCCLUSION_GRID);
  const width = load<i32>(order + O.OCCLUSION_WIDTH);
  const y = min<i32>(load<i32>(order + O.OCCLUSION_HEIGHT) - 1, max<i32>(0, <i32>floor(py)));
  const seed = load<i32>(order + O.OCCLUSION_SEED) + y * width;
  for (let k = 0; k < fours; k++) {
    const a = fourOf(k);
    const x = <f64>((a - row) >> 2) + px;
    const xs = add(all(<f32>x), f32x4(0, 1, 2, 3));
    v128.store(at, xs, P.PLACES_X);
    v128.store(at, all(<f32>py), P.PLACES_Y);
    for (let c: usize = 0; c < 3; c++) {
      const from = allAt(order + O.OCCLUSION_OFFSET + (c << 2));
      v128.store(at + c * COLUMN, add(col(a, POSITION + c * COLUMN), from), P.PLACES_POSITION);
      v128.store(at + c * COLUMN, col(a, NORMAL + c * COLUMN), P.PLACES_NORMAL);
    }
    const pixels = i32x4.max_s(i32x4.splat(0), i32x4.trunc_sat_f32x4_s(f32x4.floor(xs)));
    v128.store(at, i32x4.add(i32x4.min_s(pixels, i32x4.splat(width - 1)), i32x4.splat(seed)), P.PLACES_SEED);
    if (grid == 0 || !readGrid(at, order, grid, i32x4.bitmask(v128.load(a, LIVE)))) lookFour(at, order, number);
    finishFour(a, at, order);
  }
}

/** What is found of a four becomes columns of the row. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function finishFour(a: usize, at: usize, order: usize): void {
  const strength = allAt(order + O.OCCLUSION_STRENGTH);
  const none = all(0);
  const one = all(1);
  const open = v128.load(at, P.PLACES_OPEN);
  put(a, OPEN, greater(add(one, mul(sub(open, one), strength)), none));
  if (load<i32>(order + O.OCCLUSION_BENDS) == 0) return;
  bendFour(
    a,
    i32x4.splat(-1),
    mul(v128.load(at, P.PLACES_LEAN), strength),
    mul(v128.load(at + COLUMN, P.PLACES_LEAN), strength),
    mul(v128.load(at + 2 * COLUMN, P.PLACES_LEAN), strength),
  );
}

/** Takes what four places have from the points around them. Twin: core/around/occlusion/grid. @returns false where too little of it counts for any that is live */
function readGrid(at: usize, order: usize, grid: usize, live: i32): bool {
  const left = load<i32>(order + O.OCCLUSION_GRID_LEFT);
  const top = load<i32>(order + O.OCCLUSION_GRID_TOP);
  const side = load<i32>(order + O.OCCLUSION_GRID_SIDE);
  for (let lane: usize = 0; lane < 4; lane++) {
    if (((live >> (<i32>lane)) & 1) == 0) continue;
    const p = at + (lane << 2);
    const gx = (load<f32>(p, P.PLACES_X) - 0.5) * 0.5;
    const gy = (load<f32>(p, P.PLACES_Y) - 0.5) * 0.5;
    const x0 = floor(gx);
    const y0 = floor(gy);
    const fx = gx - x0;
    const fy = gy - y0;
    const x = load<f32>(p, P.PLACES_POSITION);
    const y = load<f32>(p, P.PLACES_POSITION + COLUMN);
    const z = load<f32>(p, P.PLACES_POSITION + 2 * COLUMN);
    const nx = load<f32>(p, P.PLACES_NORMAL);
    const ny = load<f32>(p, P.PLACES_NORMAL + COLUMN);
    const nz = load<f32>(p, P.PLACES_NORMAL + 2 * COLUMN);
    let sum: f32 = 0;
    let found = all(0);
    for (let k = 0; k < 4; k++) {
      const column = <i32>x0 + (k & 1) - left;
      const line = <i32>y0 + (k >> 1) - top;
      const g = grid + <usize>(line * side + column) * G.POINT_BYTES;
      if (load<f32>(g, G.POINT_KNOWN) == 0) continue;
      const ex = load<f32>(g, G.POINT_POSITION) - x;
      const ey = load<f32>(g, G.POINT_POSITION + 4) - y;
      const ez = load<f32>(g, G.POINT_POSITION + 8) - z;
      const off = ex * nx + ey * ny + ez * nz;
      const facing =
        load<f32>(g, G.POINT_NORMAL) * nx +
        load<f32>(g, G.POINT_NORMAL + 4) * ny +
        load<f32>(g, G.POINT_NORMAL + 8) * nz;
      if (facing <= 0.5 || off * off > OFF_PLANE * OFF_PLANE * (ex * ex + ey * ey + ez * ez) + 1e-12) continue;
      const near: f32 = ((k & 1) == 0 ? <f32>1 - fx : fx) * (k >> 1 == 0 ? <f32>1 - fy : fy);
      const weight = near * facing * facing;
      sum += weight;
      found = add(found, mul(v128.load(g, G.POINT_OPEN), all(weight)));
    }
    if (sum < LEAST) return false;
    found = over(found, all(sum));
    store<f32>(p, f32x4.extract_lane(found, 0), P.PLACES_OPEN);
    store<f32>(p, f32x4.extract_lane(found, 1), P.PLACES_LEAN);
    store<f32>(p, f32x4.extract_lane(found, 2), P.PLACES_LEAN + COLUMN);
    store<f32>(p, f32x4.extract_lane(found, 3), P.PLACES_LEAN + 2 * COLUMN);
  }
  return true;
}

/** Arc cosine within 1e-7 (Abramowitz & Stegun 1964, Handbook of Mathematical Functions, 4.4.46). */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function arcCosine(c: v128): v128 {
  const x = f32x4.abs(c);
  let sum = add(all(0.0066700901), mul(x, all(-0.0012624911)));
  sum = add(all(-0.0170881256), mul(x, sum));
  sum = add(all(0.030891881), mul(x, sum));
  sum = add(all(-0.0501743046), mul(x, sum));
  sum = add(all(0.0889789874), mul(x, sum));
  sum = add(all(-0.2145988016), mul(x, sum));
  sum = add(all(1.570796305), mul(x, sum));
  const angle = mul(root(greater(sub(all(1), x), all(0))), sum);
  return pick(f32x4.lt(c, all(0)), sub(all(PI), angle), angle);
}

/** Sine of −π/2 … π/2 within 4e-6 by its series, given the square. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function sineOf(x: v128, x2: v128): v128 {
  let sum = add(all(-1 / 5040.0), mul(x2, all(1 / 362880.0)));
  sum = add(all(1 / 120.0), mul(x2, sum));
  sum = add(all(-1 / 6.0), mul(x2, sum));
  return mul(x, add(all(1), mul(x2, sum)));
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function cosineOf(x2: v128): v128 {
  let sum = add(all(1 / 40320.0), mul(x2, all(-1 / 3628800.0)));
  sum = add(all(-1 / 720.0), mul(x2, sum));
  sum = add(all(1 / 24.0), mul(x2, sum));
  sum = add(all(-0.5), mul(x2, sum));
  return add(all(1), mul(x2, sum));
}

/** Depths at four pixels. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function depthsAt(depth: usize, pixels: v128): v128 {
  let d = v128.load32_zero(depth + ((<usize>i32x4.extract_lane(pixels, 0)) << 2));
  d = v128.load32_lane(depth + ((<usize>i32x4.extract_lane(pixels, 1)) << 2), d, 1);
  d = v128.load32_lane(depth + ((<usize>i32x4.extract_lane(pixels, 2)) << 2), d, 2);
  return v128.load32_lane(depth + ((<usize>i32x4.extract_lane(pixels, 3)) << 2), d, 3);
}

function lookFour(a: usize, order: usize, number: i32): void {
  const none = all(0);
  const one = all(1);
  const depth = <usize>load<u32>(order + O.OCCLUSION_DEPTH);
  const width = v128.load32_splat(order + O.OCCLUSION_WIDTH);
  const height = v128.load32_splat(order + O.OCCLUSION_HEIGHT);
  const perspective = load<i32>(order + O.OCCLUSION_PERSPECTIVE) != 0;
  const radius = allAt(order + O.OCCLUSION_RADIUS);
  const nearest = mul(radius, radius);
  const directions = load<i32>(order + O.OCCLUSION_DIRECTIONS);
  const steps = load<i32>(order + O.OCCLUSION_STEPS);
  const px = v128.load(a + P.PLACES_X);
  const py = v128.load(a + P.PLACES_Y);
  const x = v128.load(a + P.PLACES_POSITION);
  const y = v128.load(a + P.PLACES_POSITION + COLUMN);
  const z = v128.load(a + P.PLACES_POSITION + 2 * COLUMN);
  const nx = v128.load(a + P.PLACES_NORMAL);
  const ny = v128.load(a + P.PLACES_NORMAL + COLUMN);
  const nz = v128.load(a + P.PLACES_NORMAL + 2 * COLUMN);
  const fx = allAt(order + O.OCCLUSION_FORWARD);
  const fy = allAt(order + O.OCCLUSION_FORWARD + 4);
  const fz = allAt(order + O.OCCLUSION_FORWARD + 8);
  const pixel = allAt(order + O.OCCLUSION_PIXEL);
  const ahead = dot(x, y, z, fx, fy, fz);
  const away = perspective ? over(all(-1), root(dot(x, y, z, x, y, z))) : all(-1);
  const vx = mul(perspective ? x : fx, away);
  const vy = mul(perspective ? y : fy, away);
  const vz = mul(perspective ? z : fz, away);
  const reach = lesser(over(radius, perspective ? mul(pixel, ahead) : pixel), allAt(order + O.OCCLUSION_FARTHEST));
  const nv = dot(nx, ny, nz, vx, vy, vz);
  const active = v128.and(v128.and(f32x4.gt(ahead, none), f32x4.ge(reach, one)), f32x4.gt(nv, none));
  let open = one;
  let leanX = none;
  let leanY = none;
  let leanZ = none;
  if (v128.any_true(active)) {
    drawOf(number, v128.load(a + P.PLACES_SEED));
    const u = firsts;
    const jitter = seconds;
    const rx = allAt(order + O.OCCLUSION_RIGHT);
    const ry = allAt(order + O.OCCLUSION_RIGHT + 4);
    const rz = allAt(order + O.OCCLUSION_RIGHT + 8);
    const lx = allAt(order + O.OCCLUSION_DOWN);
    const ly = allAt(order + O.OCCLUSION_DOWN + 4);
    const lz = allAt(order + O.OCCLUSION_DOWN + 8);
    const bx = allAt(order + O.OCCLUSION_BASE);
    const by = allAt(order + O.OCCLUSION_BASE + 4);
    const bz = allAt(order + O.OCCLUSION_BASE + 8);
    const perPixel = over(one, pixel);
    const rise = over(one, greater(nv, all(FLATTEST)));
    const longer = sub(reach, one);
    for (let k = 0; k < directions; k++) {
      // sine and cosine of the line's angle, by those of its difference from a right one
      const off = mul(sub(over(add(all(<f32>k), u), all(<f32>directions)), all(0.5)), all(PI));
      const off2 = mul(off, off);
      let dx = sub(none, sineOf(off, off2));
      let dy = cosineOf(off2);
      let tx = mul(add(mul(rx, dx), mul(lx, dy)), perPixel);
      let ty = mul(add(mul(ry, dx), mul(ly, dy)), perPixel);
      let tz = mul(add(mul(rz, dx), mul(lz, dy)), perPixel);
      const toEye = dot(tx, ty, tz, vx, vy, vz);
      tx = sub(tx, mul(toEye, vx));
      ty = sub(ty, mul(toEye, vy));
      tz = sub(tz, mul(toEye, vz));
      const scale = over(one, root(dot(tx, ty, tz, tx, ty, tz)));
      tx = mul(tx, scale);
      ty = mul(ty, scale);
      tz = mul(tz, scale);
      const nt = dot(nx, ny, nz, tx, ty, tz);
      const projected = root(add(mul(nt, nt), mul(nv, nv)));
      const cosN = over(nv, projected);
      let sinN = over(nt, projected);
      const share = over(projected, all(<f32>directions));
      const sx = sub(mul(ty, vz), mul(tz, vy));
      const sy = sub(mul(tz, vx), mul(tx, vz));
      const sz = sub(mul(tx, vy), mul(ty, vx));
      const slope = mul(dot(nx, ny, nz, sx, sy, sz), rise);
      for (let way = 0; way < 2; way++) {
        let c = sub(none, sinN);
        let s = cosN;
        let h = arcCosine(c);
        let along = none;
        let towards = none;
        for (let step = 0; step < steps; step++) {
          const t = over(add(all(<f32>step), jitter), all(<f32>steps));
          const far = add(one, mul(mul(t, t), longer));
          const qx = f32x4.floor(add(px, mul(dx, far)));
          const qy = f32x4.floor(add(py, mul(dy, far)));
          const ix = i32x4.trunc_sat_f32x4_s(qx);
          const iy = i32x4.trunc_sat_f32x4_s(qy);
          let there = v128.and(v128.and(f32x4.ge(qx, none), f32x4.ge(qy, none)), active);
          there = v128.and(there, v128.and(i32x4.lt_s(ix, width), i32x4.lt_s(iy, height)));
          if (!v128.any_true(there)) break;
          const d = depthsAt(depth, v128.and(there, i32x4.add(i32x4.mul(iy, width), ix)));
          const mx = add(qx, all(0.5));
          const my = add(qy, all(0.5));
          const deep = perspective ? d : one;
          const beyond = perspective ? none : d;
          const ex = sub(add(mul(add(bx, add(mul(mx, rx), mul(my, lx))), deep), mul(fx, beyond)), x);
          const ey = sub(add(mul(add(by, add(mul(mx, ry), mul(my, ly))), deep), mul(fy, beyond)), y);
          const ez = sub(add(mul(add(bz, add(mul(mx, rz), mul(my, lz))), deep), mul(fz, beyond)), z);
          const square = dot(ex, ey, ez, ex, ey, ez);
          const et = dot(ex, ey, ez, tx, ty, tz);
          const ev = add(dot(ex, ey, ez, vx, vy, vz), mul(dot(ex, ey, ez, sx, sy, sz), slope));
          // on the other way the line goes back
          const length = root(add(mul(et, et), mul(ev, ev)));
          const stands = v128.and(v128.and(there, f32x4.gt(d, none)), f32x4.lt(square, nearest));
          const rises = v128.and(v128.and(stands, f32x4.gt(length, none)), f32x4.gt(ev, mul(c, length)));
          if (!v128.any_true(rises)) continue;
          const fade = sub(all(2), over(mul(all(2), root(square)), radius));
          const counts = v128.and(rises, mul(lesser(fade, one), share));
          const c1 = pick(rises, over(ev, length), c);
          const s1 = pick(rises, root(greater(sub(one, mul(c1, c1)), none)), s);
          const h1 = pick(rises, arcCosine(c1), h);
          const lost = add(
            mul(cosN, sub(mul(s, s), mul(s1, s1))),
            mul(sinN, add(sub(h, h1), sub(mul(s1, c1), mul(s, c)))),
          );
          const third = all(1 / 3.0);
          const sines = mul(sub(mul(mul(s, s), s), mul(mul(s1, s1), s1)), third);
          const cosines = mul(sub(mul(mul(c, c), c), mul(mul(c1, c1), c1)), third);
          open = sub(open, mul(mul(lost, all(0.5)), counts));
          along = add(along, mul(add(mul(cosN, sines), mul(sinN, add(sub(c1, c), cosines))), counts));
          towards = add(towards, mul(sub(mul(sinN, sines), mul(cosN, cosines)), counts));
          c = c1;
          s = s1;
          h = h1;
        }
        if (way == 1) along = sub(none, along);
        leanX = sub(leanX, add(mul(along, tx), mul(towards, vx)));
        leanY = sub(leanY, add(mul(along, ty), mul(towards, vy)));
        leanZ = sub(leanZ, add(mul(along, tz), mul(towards, vz)));
        dx = sub(none, dx);
        dy = sub(none, dy);
        sinN = sub(none, sinN);
      }
    }
  }
  v128.store(a + P.PLACES_OPEN, open);
  v128.store(a + P.PLACES_LEAN, leanX);
  v128.store(a + P.PLACES_LEAN + COLUMN, leanY);
  v128.store(a + P.PLACES_LEAN + 2 * COLUMN, leanZ);
}

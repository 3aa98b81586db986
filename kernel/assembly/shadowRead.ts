/** How much of a light passes its shadow maps: choice of map, bias, box filter, glass. Twin: core/shadows/shadowAt. */
import {
  add,
  all,
  allAt,
  dot,
  firstHalves,
  firstTwo,
  greater,
  lastHalves,
  lastTwo,
  lesser,
  mix,
  mul,
  over,
  pick,
  root,
  sub,
} from './four';
import {
  LIGHT_AREA,
  AUTOMATIC,
  BLEND,
  BLOCK_OFFSET,
  DEPTH_CODES,
  DEPTH_SCALE,
  END,
  HALF_WIDTH,
  KIND,
  MAPS,
  NORMAL_OFFSET,
  OFFSET,
  PERSPECTIVE,
  RESOLUTION,
  SHINES,
  SIDE_U,
  SIDE_V,
  SLOPE_BIAS,
  SOFT_SIZE,
  LIGHT_SPOT,
  LIGHT_SUN,
  TAPS,
  TEXEL_SIZE,
  VIEW_BYTES,
  VIEWS,
} from './lightRecord';
import { AHEAD, col, COLUMN, FACE, POSITION, work } from './row';
import { f, whole } from './scenery';
import { glassAround, throughGlass } from './shadowGlass';
import { blocks, depths, glassDepth } from './shadowMaps';
import { softLit } from './shadowSoft';
import { filteredThree, NARROW_TAPS, narrowLit } from './shadowThree';

/** Share of light that passes, of four places. */
export let litR: v128 = f32x4.splat(0);
export let litG: v128 = f32x4.splat(0);
export let litB: v128 = f32x4.splat(0);

export function setLitAll(r: v128, g: v128, b: v128): void {
  litR = r;
  litG = g;
  litB = b;
}

/** Everything passes where a mask has ones, nothing elsewhere. */
export function clearLit(live: v128): void {
  litR = litG = litB = v128.and(live, all(1));
}

const END_FADE: f32 = 0.1;
const FACES: i32 = 6;

/**
 * Sets the share of light that reaches four places. @param live where it is asked for; elsewhere it stays
 * @param lx … unit direction to the light @param cosine, sine of the true normal and that direction
 */
export function shadowAt(
  light: usize,
  a: usize,
  live: v128,
  lx: v128,
  ly: v128,
  lz: v128,
  distance: v128,
  cosine: v128,
  sine: v128,
): void {
  const count = load<i32>(light, MAPS);
  const kind = load<i32>(light, KIND);
  if (kind == LIGHT_SUN) {
    sunAt(light, count, a, live, distance, cosine, sine);
    return;
  }
  if (kind == LIGHT_SPOT) {
    readMap(light, light + VIEWS, a, live, distance, cosine, sine);
    return;
  }
  const faces = cubeFace(light, f32x4.neg(lx), f32x4.neg(ly), f32x4.neg(lz));
  for (let k = 0; k < FACES && v128.any_true(live); k++) {
    const here = v128.and(live, i32x4.eq(faces, i32x4.splat(k)));
    if (!v128.any_true(here)) continue;
    readMap(light, light + VIEWS + <usize>k * VIEW_BYTES, a, here, distance, cosine, sine);
    live = v128.andnot(live, here);
  }
}

/** The sun has a map for each stretch of the view; the end of each fades into the next. */
function sunAt(light: usize, count: i32, a: usize, live: v128, distance: v128, cosine: v128, sine: v128): void {
  const ahead = col(a, AHEAD);
  let start: f32 = 0;
  for (let k = 0; k < count && v128.any_true(live); k++) {
    const view = light + VIEWS + <usize>k * VIEW_BYTES;
    const end = load<f32>(view, END);
    const next = k + 1 < count;
    const here = next ? v128.and(live, f32x4.lt(ahead, all(end))) : live;
    if (v128.any_true(here)) {
      readMap(light, view, a, here, distance, cosine, sine);
      if (end != Infinity) fadeOut(light, view, next, start, end, ahead, a, here, distance, cosine, sine);
      live = v128.andnot(live, here);
    }
    start = end;
  }
}

function fadeOut(
  light: usize,
  view: usize,
  next: bool,
  start: f32,
  end: f32,
  ahead: v128,
  a: usize,
  here: v128,
  distance: v128,
  cosine: v128,
  sine: v128,
): void {
  const fade = (end - start) * (next ? load<f32>(light, BLEND) : END_FADE);
  const beyond = sub(ahead, all(end));
  const one = all(1);
  const t = fade > 0 ? over(add(beyond, all(fade)), all(fade)) : v128.and(f32x4.ge(beyond, all(0)), one);
  const fades = v128.and(here, f32x4.gt(t, all(0)));
  if (!v128.any_true(fades)) return;
  const r = litR;
  const g = litG;
  const b = litB;
  // beyond the last map the sun shines everywhere
  if (next) readMap(light, view + VIEW_BYTES, a, fades, distance, cosine, sine);
  else setLitAll(pick(fades, one, r), pick(fades, one, g), pick(fades, one, b));
  const share = v128.and(lesser(t, one), fades);
  litR = mix(r, litR, share);
  litG = mix(g, litG, share);
  litB = mix(b, litB, share);
}

/** Which of a light's six maps directions from it fall into. */
function cubeFace(light: usize, x: v128, y: v128, z: v128): v128 {
  if (load<i32>(light, KIND) == LIGHT_AREA) {
    const ux = load<f32>(light, SIDE_U);
    const uy = load<f32>(light, SIDE_U + 4);
    const uz = load<f32>(light, SIDE_U + 8);
    const vx = load<f32>(light, SIDE_V);
    const vy = load<f32>(light, SIDE_V + 4);
    const vz = load<f32>(light, SIDE_V + 8);
    const u = all(1 / sqrt<f32>(ux * ux + uy * uy + uz * uz));
    const v = all(1 / sqrt<f32>(vx * vx + vy * vy + vz * vz));
    const p = mul(dot(x, y, z, all(ux), all(uy), all(uz)), u);
    const q = mul(dot(x, y, z, all(vx), all(vy), all(vz)), v);
    const at = light + SHINES;
    z = f32x4.neg(dot(x, y, z, allAt(at), allAt(at + 4), allAt(at + 8)));
    x = p;
    y = q;
  }
  const ax = f32x4.abs(x);
  const ay = f32x4.abs(y);
  const az = f32x4.abs(z);
  const alongX = v128.and(f32x4.ge(ax, ay), f32x4.ge(ax, az));
  const alongY = f32x4.ge(ay, az);
  const axis = pick(alongX, x, pick(alongY, y, z));
  const first = pick(alongX, i32x4.splat(0), pick(alongY, i32x4.splat(2), i32x4.splat(4)));
  // one more where the axis points backwards
  return i32x4.sub(first, f32x4.lt(axis, all(0)));
}

function readMap(light: usize, view: usize, a: usize, here: v128, distance: v128, cosine: v128, sine: v128): void {
  const kind = load<i32>(light, KIND);
  const many = kind != LIGHT_SUN && kind != LIGHT_SPOT;
  const taps = load<i32>(light, TAPS);
  const half = load<f32>(light, HALF_WIDTH);
  const one = all(1);
  // biased position in the map: see the twin for why
  const perspective = load<i32>(view, PERSPECTIVE) != 0;
  const automatic = load<i32>(light, AUTOMATIC) != 0;
  const scale = load<f32>(view, DEPTH_SCALE);
  const texel = perspective ? mul(allAt(view + TEXEL_SIZE), distance) : allAt(view + TEXEL_SIZE);
  const reach: f32 = automatic ? <f32>0.75 + half : load<f32>(light, NORMAL_OFFSET) * (1 + half);
  const offset = mul(mul(texel, all(reach)), sine);
  const x = add(col(a, POSITION), mul(col(a, FACE), offset));
  const y = add(col(a, POSITION + COLUMN), mul(col(a, FACE + COLUMN), offset));
  const z = add(col(a, POSITION + 2 * COLUMN), mul(col(a, FACE + 2 * COLUMN), offset));
  const w = perspective ? mapped(view + 48, x, y, z) : one;
  let u = mapped(view, x, y, z);
  let v = mapped(view + 16, x, y, z);
  let metres: v128;
  if (automatic) {
    const codes = load<f32>(view, DEPTH_CODES);
    const step: f32 = codes > 0 ? <f32>0.75 / codes : 0;
    metres = add(mul(all(0.25), texel), mul(all(1e-5), add(one, w)));
    if (perspective) {
      const along = lesser(over(w, distance), one);
      const slant = mul(mul(all(reach), texel), root(sub(one, mul(along, along))));
      metres = add(add(metres, slant), mul(mul(all(step / scale), w), w));
    } else metres = add(metres, all(step / scale));
  } else {
    const tangent = lesser(over(sine, greater(cosine, all(0.05))), all(8));
    const slope = add(all(0.25), mul(tangent, all(0.5)));
    metres = add(mul(mul(all(load<f32>(light, SLOPE_BIAS)), texel), slope), all(1e-4));
  }
  let depth: v128;
  if (perspective) {
    u = over(u, w);
    v = over(v, w);
    const nearer = sub(w, metres);
    depth = pick(f32x4.gt(nearer, all(scale)), over(all(scale), nearer), one);
  } else depth = add(mapped(view + 32, x, y, z), mul(metres, all(scale)));

  const side = load<i32>(view, RESOLUTION);
  // behind the light and beside its map nothing is in the way
  let within = f32x4.gt(w, all(0));
  if (!many) {
    const end = all(<f32>side);
    within = v128.and(within, v128.and(f32x4.ge(lesser(u, v), all(0)), f32x4.lt(greater(u, v), end)));
  }
  litR = pick(here, one, litR);
  litG = pick(here, one, litG);
  litB = pick(here, one, litB);
  const reached = v128.and(here, within);
  const lanes = i32x4.bitmask(reached);
  if (lanes == 0) return;
  v128.store(work, u);
  v128.store(work, v, 16);
  v128.store(work, depth, 32);
  v128.store(work, litR, 48);
  if (load<f32>(light, SOFT_SIZE) > 0) {
    for (let i: usize = 0; i < 4; i++) {
      if (((lanes >> (<i32>i)) & 1) == 0) continue;
      const at = work + (i << 2);
      const face = a + FACE + (i << 2);
      const lit = softLit(
        light,
        view,
        f(at),
        f(at + 16),
        f(at + 32),
        f(face),
        f(face + COLUMN),
        f(face + 2 * COLUMN),
        many,
      );
      store<f32>(at, <f32>lit, 48);
    }
  } else readEvenly(view, side, u, v, depth, taps, half, lanes, reached, many);
  // the others keep their colours
  litR = v128.load(work, 48);
  litG = pick(reached, litR, litG);
  litB = pick(reached, litR, litB);
  if (glassDepth == 0) return;
  v128.store(work, litG, 64);
  v128.store(work, litB, 80);
  glassAround(view, side, u, v);
  let coloured = false;
  for (let i: usize = 0; i < 4; i++) {
    const at = work + (i << 2);
    if (((lanes >> (<i32>i)) & 1) == 0 || !(load<f32>(at, 48) > 0)) continue;
    coloured = throughGlass(at) || coloured;
  }
  if (!coloured) return;
  setLitAll(v128.load(work, 48), v128.load(work, 64), v128.load(work, 80));
}

/** One comparison or a square of them around four places in `work`, as wide everywhere. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function readEvenly(
  view: usize,
  side: i32,
  u: v128,
  v: v128,
  depth: v128,
  taps: i32,
  half: f32,
  lanes: i32,
  reached: v128,
  many: bool,
): void {
  const spacing = (2 * <f64>half) / <f64>taps;
  const dense = spacing <= 1 && taps > 1 && taps < MOST_TEXELS;
  let left = lanes;
  if (dense && taps <= NARROW_TAPS && side >= 4) {
    left = filteredThree(view, side, u, v, depth, taps, <f32>spacing, reached);
    v128.store(work, pick(reached, narrowLit, litR), 48);
  } else if (dense) left = filteredFour(view, side, u, v, depth, taps, <f32>spacing, lanes);
  for (let i: usize = 0; i < 4; i++) {
    if (((left >> (<i32>i)) & 1) == 0) continue;
    const at = work + (i << 2);
    store<f32>(at, <f32>filtered(view, side, f(at), f(at + 16), f(at + 32), taps, spacing, many), 48);
  }
}

/** Texels across that the filter of `filteredFour` touches at most. */
const MOST_TEXELS: i32 = 8;
/** Behind the places in `work`: weights of columns and rows of texels, then first column and row and how many follow. */
const COLUMNS: usize = 128;
const ROWS: usize = COLUMNS + 128;
const FIRST_X: usize = ROWS + 128;
const FIRST_Y: usize = FIRST_X + 16;
const MORE_X: usize = FIRST_X + 32;
const MORE_Y: usize = FIRST_X + 48;

/**
 * `filtered` where comparisons lie closer than texels: many fall into the same one, so each texel is compared once and
 * counts for all of them. Writes the shares behind the places in `work`.
 * @returns the lanes that reach over the border and are left
 */
function filteredFour(view: usize, n: i32, u: v128, v: v128, depth: v128, taps: i32, spacing: f32, lanes: i32): i32 {
  spread(u, taps, spacing, COLUMNS, FIRST_X, MORE_X);
  spread(v, taps, spacing, ROWS, FIRST_Y, MORE_Y);
  const x0 = v128.load(work, FIRST_X);
  const y0 = v128.load(work, FIRST_Y);
  // all eight columns are read, whatever is behind the last that counts
  const inX = i32x4.lt_s(x0, i32x4.splat(n - MOST_TEXELS));
  const inY = i32x4.lt_s(i32x4.add(y0, v128.load(work, MORE_Y)), i32x4.splat(n));
  const inner = v128.and(v128.and(inX, inY), i32x4.ge_s(i32x4.min_s(x0, y0), i32x4.splat(0)));
  const left = lanes & ~i32x4.bitmask(inner);
  lanes &= ~left;
  const base = depths + ((<usize>load<u32>(view, OFFSET)) << 2);
  const pitch = (<usize>n) << 2;
  const whole: f32 = 1 / <f32>(taps * taps);
  turnWeights(COLUMNS);
  turnWeights(COLUMNS + 64);
  for (let i: usize = 0; i < 4; i++) {
    if (((lanes >> (<i32>i)) & 1) == 0) continue;
    const at = work + (i << 2);
    const x = load<i32>(at, FIRST_X);
    const y = load<i32>(at, FIRST_Y);
    const moreX = load<i32>(at, MORE_X);
    const moreY = load<i32>(at, MORE_Y);
    const clear = clearOfBlocks(view, n, x, y, x + moreX, y + moreY, f(at + 32));
    if (clear >= 0) {
      store<f32>(at, <f32>clear, 48);
      continue;
    }
    const reach = allAt(at + 32);
    let p = base + ((<usize>(y * n + x)) << 2);
    let share = at + ROWS;
    const last = share + ((<usize>moreY) << 4);
    const near = v128.load(work + (i << 4), COLUMNS);
    let sum = all(0);
    if (moreX < 4) {
      for (; share <= last; share += 16, p += pitch)
        sum = add(sum, mul(v128.and(f32x4.ge(reach, v128.load(p)), near), allAt(share)));
    } else {
      const far = v128.load(work + (i << 4), COLUMNS + 64);
      for (; share <= last; share += 16, p += pitch) {
        const passed = v128.and(f32x4.ge(reach, v128.load(p)), near);
        const passed2 = v128.and(f32x4.ge(reach, v128.load(p, 16)), far);
        sum = add(sum, mul(add(passed, passed2), allAt(share)));
      }
    }
    const half = add(sum, v128.shuffle<i32>(sum, sum, 2, 3, 0, 1));
    store<f32>(at, (f32x4.extract_lane(half, 0) + f32x4.extract_lane(half, 1)) * whole, 48);
  }
  return left;
}

/** Along one axis: which texels the comparisons around four places fall into, and how much each texel counts. */
function spread(place: v128, taps: i32, spacing: f32, weights: usize, first: usize, more: usize): void {
  const many = <f32>taps;
  const step = all(spacing);
  const start = sub(over(place, step), all(many * 0.5));
  const k = f32x4.floor(start);
  const share = sub(start, k);
  const middle = add(k, all(0.5));
  const texel = f32x4.floor(mul(middle, step));
  const most = (<usize>taps) << 4;
  const to = work + weights;
  // the border slides: what the first comparison loses the last one gains
  v128.store(to, sub(all(1), share));
  for (let m: usize = 16; m < 128; m += 16) v128.store(to + m, all(0));
  let behind = all(0);
  for (let i: usize = 16; i <= most; i += 16) {
    behind = sub(f32x4.floor(mul(add(middle, all(<f32>(i >> 4))), step)), texel);
    const weight = i < most ? all(1) : share;
    // closer than texels, the i-th lies at most i texels behind
    for (let m: usize = 0; m <= i; m += 16)
      v128.store(to + m, add(v128.load(to + m), v128.and(f32x4.eq(behind, all(<f32>(m >> 4))), weight)));
  }
  v128.store(work + first, i32x4.trunc_sat_f32x4_s(texel));
  v128.store(work + more, i32x4.trunc_sat_f32x4_s(behind));
}

/** Turns four columns of weights to a vector for each place. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function turnWeights(weights: usize): void {
  const a = v128.load(work + weights);
  const b = v128.load(work + weights, 16);
  const c = v128.load(work + weights, 32);
  const d = v128.load(work + weights, 48);
  const low = firstTwo(a, b);
  const low2 = firstTwo(c, d);
  const high = lastTwo(a, b);
  const high2 = lastTwo(c, d);
  v128.store(work + weights, firstHalves(low, low2));
  v128.store(work + weights, lastHalves(low, low2), 16);
  v128.store(work + weights, firstHalves(high, high2), 32);
  v128.store(work + weights, lastHalves(high, high2), 48);
}

/** Four places times a row of a matrix. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function mapped(at: usize, x: v128, y: v128, z: v128): v128 {
  return add(dot(x, y, z, allAt(at), allAt(at + 4), allAt(at + 8)), allAt(at + 12));
}

/** Share of taps × taps comparisons that pass, the border weighted so that it slides smoothly. */
function filtered(view: usize, n: i32, u: f64, v: f64, depth: f64, taps: i32, spacing: f64, clamped: bool): f64 {
  const base = depths + ((<usize>load<u32>(view, OFFSET)) << 2);
  if (taps == 1) {
    let x = whole(floor<f64>(u));
    let y = whole(floor<f64>(v));
    if (x < 0 || y < 0 || x >= n || y >= n) {
      if (!clamped) return 1;
      x = x < 0 ? 0 : x >= n ? n - 1 : x;
      y = y < 0 ? 0 : y >= n ? n - 1 : y;
    }
    return depth >= f(base + ((<usize>(y * n + x)) << 2)) ? 1 : 0;
  }
  const many = <f64>taps;
  const startX = u / spacing - many / 2;
  const startY = v / spacing - many / 2;
  const kx = floor<f64>(startX);
  const ky = floor<f64>(startY);
  const x0 = whole(floor<f64>((kx + 0.5) * spacing));
  const y0 = whole(floor<f64>((ky + 0.5) * spacing));
  const x1 = whole(floor<f64>((kx + many + 0.5) * spacing));
  const y1 = whole(floor<f64>((ky + many + 0.5) * spacing));
  const fx = startX - kx;
  const fy = startY - ky;
  let sum: f64 = 0;
  if (x0 >= 0 && y0 >= 0 && x1 < n && y1 < n) {
    const clear = clearOfBlocks(view, n, x0, y0, x1, y1, depth);
    if (clear >= 0) return clear;
    for (let j = 0; j <= taps; j++) {
      const row = base + ((<usize>whole(floor<f64>((ky + <f64>j + 0.5) * spacing)) * <usize>n) << 2);
      let rowSum: f64 = depth >= f(row + ((<usize>x0) << 2)) ? 1 - fx : 0;
      for (let i = 1; i < taps; i++) {
        const x = <usize>whole(floor<f64>((kx + <f64>i + 0.5) * spacing));
        if (depth >= f(row + (x << 2))) rowSum += 1;
      }
      if (depth >= f(row + ((<usize>x1) << 2))) rowSum += fx;
      sum += rowSum * (j == 0 ? 1 - fy : j == taps ? fy : 1);
    }
    return sum / <f64>(taps * taps);
  }
  for (let j = 0; j <= taps; j++) {
    let y = whole(floor<f64>((ky + <f64>j + 0.5) * spacing));
    let outside = y < 0 || y >= n;
    if (outside && clamped) {
      y = y < 0 ? 0 : n - 1;
      outside = false;
    }
    const wy = j == 0 ? 1 - fy : j == taps ? fy : 1;
    let rowSum: f64 = 0;
    for (let i = 0; i <= taps; i++) {
      let x = whole(floor<f64>((kx + <f64>i + 0.5) * spacing));
      const w = i == 0 ? 1 - fx : i == taps ? fx : 1;
      if (outside || x < 0 || x >= n) {
        if (outside || !clamped) {
          rowSum += w;
          continue;
        }
        x = x < 0 ? 0 : n - 1;
      }
      if (depth >= f(base + ((<usize>(y * n + x)) << 2))) rowSum += w;
    }
    sum += rowSum * wy;
  }
  return sum / <f64>(taps * taps);
}

/** 1 or 0 when a depth lies before or behind everything in a rectangle of texels, −1 when it must be looked at. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function clearOfBlocks(view: usize, n: i32, x0: i32, y0: i32, x1: i32, y1: i32, depth: f64): f64 {
  const across = (n + 15) >> 4;
  const from = blocks + ((<usize>load<u32>(view, BLOCK_OFFSET)) << 3);
  let low: f64 = Infinity;
  let high: f64 = 0;
  for (let by = y0 >> 4; by <= y1 >> 4; by++) {
    for (let bx = x0 >> 4; bx <= x1 >> 4; bx++) {
      const at = from + ((<usize>(by * across + bx)) << 3);
      const least = f(at);
      const most = f(at + 4);
      if (least < low) low = least;
      if (most > high) high = most;
    }
  }
  return depth >= high ? 1 : depth < low ? 0 : -1;
}

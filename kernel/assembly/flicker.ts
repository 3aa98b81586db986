/** The steps from answers of temporal filters to visible flicker, four pixels at once. See core/measure/stability/flicker. */

/** What a display shows, cd/m²: of light from 0 (also what is no number) to 1. */
export function toCandela(light: usize, count: i32, black: f32, white: f32, out: usize): void {
  const one = f32x4.splat(1);
  const range = f32x4.splat(white - black);
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const v = v128.load(light + at);
    const some = v128.and(v, f32x4.gt(v, f32x4.splat(0)));
    v128.store(out + at, f32x4.add(f32x4.splat(black), f32x4.mul(range, f32x4.pmin(some, one))));
  }
}

/** Means of blocks of 4 × 4; those at the right and at the bottom may be smaller. */
export function shrink(plane: usize, width: i32, height: i32, out: usize): void {
  const row = (<usize>width) << 2;
  const across = (width + 3) >> 2;
  const whole = width >> 2;
  for (let y = 0; y < height; y += 4) {
    const rows = min(4, height - y);
    const share: f32 = <f32>1 / <f32>(rows * 4);
    const to = out + ((<usize>((y >> 2) * across)) << 2);
    const from = plane + <usize>y * row;
    for (let b = 0; b < whole; b++) {
      let sum = v128.load(from + ((<usize>b) << 4));
      for (let j = 1; j < rows; j++) sum = f32x4.add(sum, v128.load(from + ((<usize>b) << 4) + <usize>j * row));
      const half = f32x4.add(sum, v128.shuffle<f32>(sum, sum, 2, 3, 0, 1));
      store<f32>(to + ((<usize>b) << 2), (f32x4.extract_lane(half, 0) + f32x4.extract_lane(half, 1)) * share);
    }
    if (whole === across) continue;
    let rest: f32 = 0;
    for (let j = 0; j < rows; j++)
      for (let x = whole * 4; x < width; x++) rest += load<f32>(from + <usize>j * row + ((<usize>x) << 2));
    store<f32>(to + ((<usize>whole) << 2), rest / <f32>(rows * (width - whole * 4)));
  }
}

/**
 * The other way, between the blocks' middles, for some rows; beyond the outermost ones they go on. At least two blocks a
 * side.
 * @param line across + 2 numbers to work in
 */
export function enlarge(small: usize, width: i32, height: i32, from: i32, to: i32, line: usize, out: usize): void {
  const across = (width + 3) >> 2;
  const down = (height + 3) >> 2;
  const row = (<usize>across) << 2;
  const before = f32x4(0.375, 0.125, 0, 0);
  const after = f32x4(0, 0, 0.125, 0.375);
  for (let y = from; y < to; y++) {
    const place = <f32>max(0, min(<f64>(down - 1), (<f64>y + 0.5) / 4 - 0.5));
    const top = min(down - 2, <i32>place);
    const f = f32x4.splat(place - <f32>top);
    const upper = small + <usize>top * row;
    for (let b = 0; b < across; b += 4) {
      const at = (<usize>b) << 2;
      const u = v128.load(upper + at);
      v128.store(line + 4 + at, f32x4.add(u, f32x4.mul(f32x4.sub(v128.load(upper + row + at), u), f)));
    }
    store<f32>(line, load<f32>(line, 4));
    store<f32>(line + 4 + row, load<f32>(line + row));
    const to = out + ((<usize>(y * width)) << 2);
    for (let b = 0; b < across; b++) {
      const p = line + ((<usize>b) << 2);
      const own = v128.load32_splat(p, 4);
      const back = f32x4.mul(f32x4.sub(v128.load32_splat(p), own), before);
      const on = f32x4.mul(f32x4.sub(v128.load32_splat(p, 8), own), after);
      const v = f32x4.add(own, f32x4.add(back, on));
      const at = to + ((<usize>b) << 4);
      const rest = width - b * 4;
      if (rest >= 4) {
        v128.store(at, v);
        continue;
      }
      // nothing behind the row is touched: another thread may write there
      v128.store32_lane(at, v, 0);
      if (rest > 1) v128.store32_lane(at, v, 1, 4);
      if (rest > 2) v128.store32_lane(at, v, 2, 8);
    }
  }
}

/** What the eye is adapted to: of what is near, into it, and of the whole. @param mean of the whole picture's light */
export function adapt(near: usize, mean: usize, count: i32): void {
  let sum = f64x2.splat(0);
  for (let i = 0; i < count; i += 2) {
    // two at a time; where their number is odd the last counts alone
    const pair = v128.load64_zero(mean + ((<usize>i) << 2));
    const two = f64x2.promote_low_f32x4(pair);
    sum = f64x2.add(sum, i + 1 < count ? two : f64x2.replace_lane(two, 1, 0));
  }
  const whole = <f32>((f64x2.extract_lane(sum, 0) + f64x2.extract_lane(sum, 1)) / <f64>count);
  const term = f32x4.splat(<f32>0.02 * whole);
  for (let i = 0; i < count; i += 4) {
    const at = near + ((<usize>i) << 2);
    v128.store(at, f32x4.add(f32x4.mul(v128.load(at), f32x4.splat(0.98)), term));
  }
}

/** Two answers over what the eye is adapted to, weighed by how dim that is, in their places. */
export function weigh(quick: usize, calm: usize, adapted: usize, count: i32, dim: f32): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const a = v128.load(adapted + at);
    const weight = f32x4.div(f32x4.sqrt(f32x4.div(a, f32x4.add(a, f32x4.splat(dim)))), a);
    v128.store(quick + at, f32x4.mul(v128.load(quick + at), weight));
    v128.store(calm + at, f32x4.mul(v128.load(calm + at), weight));
  }
}

/** Of what was measured; nothing where that is too little. */
function share(v: v128, measured: v128): v128 {
  return v128.and(f32x4.div(v, measured), f32x4.gt(measured, f32x4.splat(0.05)));
}

/**
 * Fourth powers of what is seen at both rates.
 * @param quickShare, calmShare, aroundShare how much of what each blur reaches was measured
 */
export function respond(
  quick: usize,
  calm: usize,
  around: usize,
  valid: usize,
  quickShare: usize,
  calmShare: usize,
  aroundShare: usize,
  toQuick: usize,
  toCalm: usize,
  count: i32,
  quickSensitivity: f32,
  calmSensitivity: f32,
  surround: f32,
): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const v = v128.load(valid + at);
    const near = share(v128.load(quick + at), v128.load(quickShare + at));
    let f = f32x4.mul(f32x4.mul(v, f32x4.splat(quickSensitivity)), near);
    const wide = share(v128.load(around + at), v128.load(aroundShare + at));
    const centre = share(v128.load(calm + at), v128.load(calmShare + at));
    const apart = f32x4.sub(centre, f32x4.mul(f32x4.splat(surround), wide));
    let s = f32x4.mul(f32x4.mul(v, f32x4.splat(calmSensitivity)), apart);
    f = f32x4.mul(f, f);
    s = f32x4.mul(s, s);
    v128.store(toQuick + at, f32x4.mul(f, f));
    v128.store(toCalm + at, f32x4.mul(s, s));
  }
}

function fourthRoot(v: v128): v128 {
  return f32x4.sqrt(f32x4.sqrt(f32x4.pmax(f32x4.splat(0), v)));
}

/** Both rates together, from their pooled fourth powers; 0 where nothing was measured. */
export function together(
  quick: usize,
  calm: usize,
  valid: usize,
  poolShare: usize,
  count: i32,
  gate: f32,
  out: usize,
): void {
  for (let i = 0; i < count; i += 4) {
    const at = (<usize>i) << 2;
    const measured = v128.load(poolShare + at);
    const q = fourthRoot(share(v128.load(quick + at), measured));
    const c = f32x4.pmin(fourthRoot(share(v128.load(calm + at), measured)), f32x4.mul(f32x4.splat(gate), q));
    const both = f32x4.sqrt(f32x4.add(f32x4.mul(q, q), f32x4.mul(c, c)));
    v128.store(out + at, v128.and(both, f32x4.gt(v128.load(valid + at), f32x4.splat(0))));
  }
}

/** Does any number of a plane exceed a limit? Those behind its end may be anything. */
export function anyAbove(plane: usize, count: i32, limit: f32): bool {
  const whole = count & ~3;
  for (let i = 0; i < whole; i += 4)
    if (v128.any_true(f32x4.gt(v128.load(plane + ((<usize>i) << 2)), f32x4.splat(limit)))) return true;
  for (let i = whole; i < count; i++) if (load<f32>(plane + ((<usize>i) << 2)) > limit) return true;
  return false;
}

/** Change of a plane over two pixels, across and down, for some rows, except along the border, where it is 0. */
export function slopes(plane: usize, width: i32, height: i32, from: i32, to: i32, out: usize): void {
  const row = (<usize>width) << 2;
  for (let y = from; y < to; y++) {
    const p = plane + <usize>y * row;
    const line = out + <usize>y * row;
    if (y === 0 || y === height - 1) {
      memory.fill(line, 0, row);
      continue;
    }
    // the last four of a row may hold some of those before
    for (let next = 1; next < width - 1; next += 4) {
      const at = (<usize>max(1, min(next, width - 5))) << 2;
      const across = f32x4.abs(f32x4.sub(v128.load(p + at, 4), v128.load(p + at - 4)));
      const down = f32x4.abs(f32x4.sub(v128.load(p + at + row), v128.load(p + at - row)));
      v128.store(line + at, f32x4.add(across, down));
    }
    store<f32>(line, 0);
    store<f32>(line + row - 4, 0);
  }
}

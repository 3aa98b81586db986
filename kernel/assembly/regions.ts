/** What a frame's flicker comes to in each region of the picture. See core/measure/stability/regions for the figures. */

/** Numbers of 64 bits a region. */
const FIELDS: usize = 11;
/** Of a region's slopes: those above its ninth tenth are its edges. */
const EDGE_SHARE: f64 = 0.1;

let width: i32 = 0;
let row: usize = 0;

/** The value that would stand at `place` if the values were sorted (Hoare 1961, Algorithm 65: Find). */
function nthSmallest(values: usize, count: i32, place: i32): f32 {
  let low = 0;
  let high = count - 1;
  while (low < high) {
    const pivot = load<f32>(values + ((<usize>((low + high) >> 1)) << 2));
    let i = low;
    let j = high;
    while (i <= j) {
      while (load<f32>(values + ((<usize>i) << 2)) < pivot) i++;
      while (load<f32>(values + ((<usize>j) << 2)) > pivot) j--;
      if (i > j) break;
      const a = values + ((<usize>i) << 2);
      const b = values + ((<usize>j) << 2);
      i++;
      j--;
      const kept = load<f32>(a);
      store<f32>(a, load<f32>(b));
      store<f32>(b, kept);
    }
    if (place <= j) high = j;
    else if (place >= i) low = i;
    else break;
  }
  return load<f32>(values + ((<usize>place) << 2));
}

/** Numbers from 0 on are in the order of their bits: those of one exponent and its first bits are counted together. */
const ALIKE_BITS: u32 = 20;
/** Bytes of the counts, 16 bits each, which lie behind the values. */
const COUNTS: usize = 2 << (31 - <usize>ALIKE_BITS);

/**
 * Slope above which a region's edges are; 0 where it has none.
 * @param scratch numbers of `side` × `side` pixels, then COUNTS bytes, to work in
 */
function edgeLimit(steep: usize, x0: i32, y0: i32, x1: i32, y1: i32, scratch: usize, side: i32): f32 {
  const counts = scratch + ((<usize>(side * side)) << 2);
  memory.fill(counts, 0, COUNTS);
  let pixels = 0;
  let bin: u32 = 0;
  for (let y = max(1, y0); y < y1; y++)
    for (let x = max(1, x0); x < x1; x++) {
      const bits = load<u32>(steep + ((<usize>(y * width + x)) << 2));
      store<u32>(scratch + ((<usize>pixels) << 2), bits);
      const own = bits >> ALIKE_BITS;
      const at = counts + ((<usize>own) << 1);
      store<u16>(at, load<u16>(at) + 1);
      bin = max(bin, own);
      pixels++;
    }
  if (pixels === 0) return 0;
  // from the steepest down to what holds the place
  let from = pixels - <i32>(<f64>pixels * (1 - EDGE_SHARE));
  while (from > <i32>load<u16>(counts + ((<usize>bin) << 1))) {
    from -= <i32>load<u16>(counts + ((<usize>bin) << 1));
    bin--;
  }
  let alike = 0;
  for (let i = 0; i < pixels; i++) {
    const bits = load<u32>(scratch + ((<usize>i) << 2));
    if (bits >> ALIKE_BITS !== bin) continue;
    store<u32>(scratch + ((<usize>alike) << 2), bits);
    alike++;
  }
  return nthSmallest(scratch, alike, alike - from);
}

/** Bits of those of four pixels within a pixel of which something else is drawn. */
function outlines(p: usize): v128 {
  const own = v128.load(p);
  let same = i32x4.eq(v128.load(p - 4), own);
  same = v128.and(same, i32x4.eq(v128.load(p + 4), own));
  for (let j = 0; j < 2; j++) {
    const q = j === 0 ? p - row : p + row;
    same = v128.and(same, i32x4.eq(v128.load(q), own));
    same = v128.and(same, i32x4.eq(v128.load(q - 4), own));
    same = v128.and(same, i32x4.eq(v128.load(q + 4), own));
  }
  return v128.not(same);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function total(v: v128): f64 {
  return (
    <f64>f32x4.extract_lane(v, 0) +
    <f64>f32x4.extract_lane(v, 1) +
    <f64>f32x4.extract_lane(v, 2) +
    <f64>f32x4.extract_lane(v, 3)
  );
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
function add(field: usize, v: f64): void {
  store<f64>(field, load<f64>(field) + v);
}

/**
 * Planes of a number a pixel; those along the border, `border` wide and at least four, are not valid.
 * @param ids what is drawn there, 0 for none @param scratch numbers to work in, see `edgeLimit`
 * @param from, to rows of regions @param out FIELDS numbers a region, in rows
 */
export function regionSums(
  contrast: usize,
  smooth: usize,
  valid: usize,
  steep: usize,
  ids: usize,
  map: usize,
  certain: usize,
  w: i32,
  h: i32,
  side: i32,
  border: i32,
  from: i32,
  to: i32,
  scratch: usize,
  out: usize,
): void {
  width = w;
  row = (<usize>w) << 2;
  const across = (w + side - 1) / side;
  memory.fill(out + <usize>(from * across) * FIELDS * 8, 0, <usize>((to - from) * across) * FIELDS * 8);
  const one = f32x4.splat(1);
  for (let n = from * across; n < to * across; n++) {
    const field = out + <usize>n * FIELDS * 8;
    const x0 = (n % across) * side;
    const y0 = (n / across) * side;
    const x1 = min(w - 1, x0 + side);
    const y1 = min(h - 1, y0 + side);
    const limit = edgeLimit(steep, x0, y0, x1, y1, scratch, side);
    const edge = f32x4.splat(limit);
    let largest = f32x4.splat(0);
    let surest = f32x4.splat(0);
    for (let y = max(border, y0); y < min(y1, h - border); y++) {
      let count = f32x4.splat(0);
      let square = f32x4.splat(0);
      let cube = f32x4.splat(0);
      let fourth = f32x4.splat(0);
      let blurred = f32x4.splat(0);
      let onEdges = f32x4.splat(0);
      let onOutlines = f32x4.splat(0);
      let visible = f32x4.splat(0);
      let both = f32x4.splat(0);
      // what runs over a row is the border of the next
      for (let x = x0; x < x1; x += 4) {
        const at = (<usize>(y * w + x)) << 2;
        const v = v128.load(valid + at);
        if (!v128.any_true(v)) continue;
        count = f32x4.add(count, v);
        const d = f32x4.mul(v, v128.load(contrast + at));
        const d2 = f32x4.mul(d, d);
        square = f32x4.add(square, d2);
        cube = f32x4.add(cube, f32x4.mul(d2, d));
        fourth = f32x4.add(fourth, f32x4.mul(d2, d2));
        const s = f32x4.mul(v, v128.load(smooth + at));
        blurred = f32x4.add(blurred, f32x4.mul(s, s));
        if (limit > 0) onEdges = f32x4.add(onEdges, v128.and(d2, f32x4.gt(v128.load(steep + at), edge)));
        if (ids !== 0) onOutlines = f32x4.add(onOutlines, v128.and(d2, outlines(ids + at)));
        const m = f32x4.mul(v, v128.load(map + at));
        const c = f32x4.mul(v, v128.load(certain + at));
        largest = f32x4.pmax(largest, m);
        surest = f32x4.pmax(surest, c);
        const seenHere = f32x4.gt(m, one);
        visible = f32x4.add(visible, v128.and(one, seenHere));
        both = f32x4.add(both, v128.and(one, v128.and(seenHere, f32x4.gt(c, one))));
      }
      add(field, total(count));
      add(field + 8, total(square));
      add(field + 16, total(cube));
      add(field + 24, total(fourth));
      add(field + 32, total(blurred));
      add(field + 40, total(onEdges));
      add(field + 48, total(onOutlines));
      add(field + 56, total(visible));
      add(field + 64, total(both));
    }
    for (let lane = 0; lane < 2; lane++) {
      const v = lane === 0 ? largest : surest;
      const a = max(f32x4.extract_lane(v, 0), f32x4.extract_lane(v, 1));
      const b = max(f32x4.extract_lane(v, 2), f32x4.extract_lane(v, 3));
      store<f64>(field + 72 + ((<usize>lane) << 3), <f64>max(a, b));
    }
  }
}

/** Bytes of pictures as OpenEXR's compression prepares them: restored sixteen at a time. Twin: formats/exr/restoreBytes. */

/** Sums of each byte and all before it among sixteen. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
function running(bytes: v128): v128 {
  const none = i8x16.splat(0);
  let sum = i8x16.add(bytes, i8x16.shuffle(none, bytes, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29, 30));
  sum = i8x16.add(sum, i8x16.shuffle(none, sum, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27, 28, 29));
  sum = i8x16.add(sum, i8x16.shuffle(none, sum, 0, 0, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23, 24, 25, 26, 27));
  return i8x16.add(sum, i8x16.shuffle(none, sum, 0, 0, 0, 0, 0, 0, 0, 0, 16, 17, 18, 19, 20, 21, 22, 23));
}

/**
 * Differences become bytes, in place, then the first half of them stands at even places and the rest between.
 * @param packed count bytes, room for 16 more behind them @param out as long, room for 32 more
 */
export function restoreBytes(packed: usize, count: i32, out: usize): void {
  const offset = i8x16.splat(-128);
  // the first is stored as it is
  let last = offset;
  for (let i = 0; i < count; i += 16) {
    const p = packed + <usize>i;
    const sums = i8x16.add(last, running(i8x16.add(v128.load(p), offset)));
    v128.store(p, sums);
    last = i8x16.shuffle(sums, sums, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15, 15);
  }
  const half = (count + 1) >> 1;
  for (let i = 0; i < half; i += 16) {
    const even = v128.load(packed + <usize>i);
    const odd = v128.load(packed + <usize>(half + i));
    const to = out + ((<usize>i) << 1);
    v128.store(to, i8x16.shuffle(even, odd, 0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23));
    v128.store(to, i8x16.shuffle(even, odd, 8, 24, 9, 25, 10, 26, 11, 27, 12, 28, 13, 29, 14, 30, 15, 31), 16);
  }
}

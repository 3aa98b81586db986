/** 16-bit floats from 32-bit ones, four at a time, nearest with ties to even. Twin: formats/exr/half. */

/** @param from, to multiples of four numbers each; `count` is rounded up to them */
export function toHalves(from: usize, to: usize, count: i32): void {
  const signs = i32x4.splat(<i32>0x80000000);
  const infinite = i32x4.splat(0x7f800000);
  const overflow = i32x4.splat(0x477ff000);
  const smallest = i32x4.splat(0x38800000);
  const magic = i32x4.splat(126 << 23);
  const one = i32x4.splat(1);
  for (let i = 0; i < count; i += 4) {
    const x = v128.load(from + ((<usize>i) << 2));
    const sign = v128.and(x, signs);
    const size = v128.xor(x, sign);
    // beyond the largest half it is infinity, and what is no number stays none
    const beyond = v128.bitselect(i32x4.splat(0x7e00), i32x4.splat(0x7c00), i32x4.gt_s(size, infinite));
    // adding ½ leaves a multiple of 2⁻²⁴ in the last bits, rounded once
    const tiny = i32x4.sub(f32x4.add(size, magic), magic);
    const odd = v128.and(i32x4.shr_u(size, 13), one);
    const normal = i32x4.shr_u(
      i32x4.sub(i32x4.add(i32x4.add(size, i32x4.splat(0xfff)), odd), i32x4.splat(0x38000000)),
      13,
    );
    let half = v128.bitselect(tiny, normal, i32x4.lt_s(size, smallest));
    half = v128.bitselect(beyond, half, i32x4.ge_s(size, overflow));
    half = v128.or(half, i32x4.shr_u(sign, 16));
    v128.store64_lane(to + ((<usize>i) << 1), i16x8.narrow_i32x4_u(half, half), 0);
  }
}

/** A picture made smaller by the mean of what each pixel covers, or larger by linear interpolation. */

/** For each target pixel along one axis, the source pixels it takes and their shares, which add up to 1. */
export interface AxisShares {
  /** First source pixel of each target pixel. */
  first: Int32Array;
  /** `starts[i]` … `starts[i + 1]` in `shares` belong to target pixel i. */
  starts: Int32Array;
  shares: Float64Array;
}

/** @param source, target pixels along the axis, at least 1 */
export function axisShares(source: number, target: number): AxisShares {
  const first = new Int32Array(target);
  const starts = new Int32Array(target + 1);
  const shares: number[] = [];
  const step = source / target;
  for (let i = 0; i < target; i++) {
    starts[i] = shares.length;
    if (step >= 1) {
      const [from, to] = [i * step, (i + 1) * step];
      first[i] = Math.floor(from);
      const last = Math.min(source, Math.ceil(to - 1e-9));
      for (let k = first[i]; k < last; k++) shares.push((Math.min(k + 1, to) - Math.max(k, from)) / step);
    } else {
      const at = Math.min(source - 1, Math.max(0, (i + 0.5) * step - 0.5));
      first[i] = Math.min(Math.floor(at), Math.max(0, source - 2));
      const t = at - first[i];
      shares.push(1 - t);
      if (source > 1) shares.push(t);
    }
  }
  starts[target] = shares.length;
  return { first, starts, shares: Float64Array.from(shares) };
}

/**
 * Writes rows `from` … `to` − 1 of the target.
 * @param channels numbers a pixel, in both
 * @param left, right columns that are wanted; all by default
 */
export function resampleRows(
  source: Float32Array,
  sourceWidth: number,
  target: Float32Array,
  channels: number,
  across: AxisShares,
  down: AxisShares,
  from: number,
  to: number,
  left = 0,
  right = across.first.length,
): void {
  const width = across.first.length;
  const sum = new Float64Array(channels);
  for (let y = from; y < to; y++) {
    for (let x = left; x < right; x++) {
      sum.fill(0);
      for (let j = down.starts[y]; j < down.starts[y + 1]; j++) {
        const row = (down.first[y] + j - down.starts[y]) * sourceWidth;
        for (let i = across.starts[x]; i < across.starts[x + 1]; i++) {
          const w = down.shares[j] * across.shares[i];
          const at = (row + across.first[x] + i - across.starts[x]) * channels;
          for (let c = 0; c < channels; c++) sum[c] += source[at + c] * w;
        }
      }
      target.set(sum, (y * width + x) * channels);
    }
  }
}

/**
 * Undoes the run-length coding of OpenEXR: a count below 128 and the byte that stands so often and once more, or minus
 * a count and so many bytes as they are.
 * @returns exactly so many bytes, or none when the data gives another number of them
 */
export function unrun(packed: Uint8Array, expected: number): Uint8Array {
  const out = new Uint8Array(expected);
  let to = 0;
  for (let i = 0; i < packed.length && to <= expected;) {
    const count = packed[i] < 128 ? packed[i] : packed[i] - 256;
    if (count < 0) {
      if (to - count > expected) break;
      out.set(packed.subarray(i + 1, i + 1 - count), to);
      to -= count;
      i += 1 - count;
    } else {
      out.fill(packed[i + 1], to, to + count + 1);
      to += count + 1;
      i += 2;
    }
  }
  return to === expected ? out : out.subarray(0, 0);
}

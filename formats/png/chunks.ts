/** The chunks of a PNG file (PNG Specification, second edition, W3C 2003, section 5). */

export const PNG_SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];
/** Length and kind stand before what a chunk holds, its sum behind it. */
const BEFORE = 8;
const AROUND = 12;

/** All that are whole, up to the last one, in order; their sums are not looked at. */
export function* pngChunks(png: Uint8Array): Generator<{ kind: string; data: Uint8Array }> {
  const view = new DataView(png.buffer, png.byteOffset, png.byteLength);
  for (let at = PNG_SIGNATURE.length; at + AROUND <= png.length;) {
    const length = view.getUint32(at);
    if (at + AROUND + length > png.length) return;
    const kind = String.fromCharCode(...png.subarray(at + 4, at + BEFORE));
    yield { kind, data: png.subarray(at + BEFORE, at + BEFORE + length) };
    if (kind === 'IEND') return;
    at += AROUND + length;
  }
}

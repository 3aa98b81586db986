/** Stable 64-bit fingerprints of words and text: for naming recipes and telling pictures apart, not for secrecy. */

/** Sixteen hexadecimal digits from 32-bit words (two multiply-rotate lanes with the finaliser of MurmurHash3). */
export function hashWords(words: Uint32Array): string {
  let a = 0x9747b28c ^ words.length;
  let b = 0x5bd1e995;
  for (let i = 0; i < words.length; i++) {
    a = Math.imul(a ^ words[i], 0xcc9e2d51);
    a = (a << 15) | (a >>> 17);
    b = Math.imul(b + words[i], 0x1b873593) ^ a;
    b = (b << 13) | (b >>> 19);
  }
  return hex(finish(a ^ b)) + hex(finish(b + Math.imul(a, 5)));
}

/** Fingerprint of a text (its UTF-16 code units). */
export function hashText(text: string): string {
  return hashWords(Uint32Array.from({ length: text.length }, (_, i) => text.charCodeAt(i)));
}

/** Fingerprint of 32-bit floats, to the bit. */
export function hashFloats(values: Float32Array): string {
  return hashWords(new Uint32Array(values.buffer, values.byteOffset, values.length));
}

function finish(h: number): number {
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

function hex(n: number): string {
  return n.toString(16).padStart(8, '0');
}

/**
 * The Huffman code of OpenEXR's PIZ and DWA blocks: canonical, 16-bit symbols and one more that repeats the last.
 * (Huffman 1952, A Method for the Construction of Minimum-Redundancy Codes; layout after the format's `hufUncompress`.)
 */

/** Bits looked up at once; longer codes are found one bit at a time. */
const QUICK = 14;
/** Lengths up to this are written as they are; those above stand for runs of symbols that do not occur. */
const LONGEST_CODE = 58;
const [SHORT_RUN, LONG_RUN] = [59, 63];
/** Longer codes would need more symbols than a block can hold. */
const LONGEST_READ = 48;
const HEADER_BYTES = 20;

interface Code {
  /** Symbol · 64 + length by the next bits, 0 where the code is longer. */
  quick: Uint32Array;
  /** Least code of each length, and where its symbols begin. */
  least: Float64Array;
  counts: Uint32Array;
  starts: Uint32Array;
  symbols: Uint32Array;
}

/**
 * @param out filled to its end
 * @throws RangeError when the data is damaged
 */
export function unpackHuffman(packed: Uint8Array, out: Uint16Array): void {
  if (out.length === 0) return;
  if (packed.length < HEADER_BYTES) throw new RangeError('too short');
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  const [first, last] = [view.getUint32(0, true), view.getUint32(4, true)];
  if (first > last || last > 65536) throw new RangeError('symbols out of range');
  const { lengths, end } = readLengths(packed, first, last);
  const code = canonical(lengths, first);
  decode(packed.subarray(end), view.getUint32(12, true), code, last, out);
}

/** Lengths of the codes of the symbols from the first, six bits each, with runs of zeros. */
function readLengths(packed: Uint8Array, first: number, last: number): { lengths: Uint8Array; end: number } {
  const lengths = new Uint8Array(last - first + 1);
  let bit = HEADER_BYTES * 8;
  const read = (n: number): number => {
    if (bit + n > packed.length * 8) throw new RangeError('too short');
    const at = bit >> 3;
    const word = (packed[at] << 8) | (packed[at + 1] ?? 0);
    bit += n;
    return (word >> (16 - n - ((bit - n) & 7))) & ((1 << n) - 1);
  };
  for (let s = 0; s < lengths.length;) {
    const l = read(6);
    if (l < SHORT_RUN) lengths[s++] = l;
    else s += l === LONG_RUN ? read(8) + 2 + LONG_RUN - SHORT_RUN : 2 + l - SHORT_RUN;
  }
  return { lengths, end: (bit + 7) >> 3 };
}

/** The longest codes come first, counted up from zero. */
function canonical(lengths: Uint8Array, first: number): Code {
  const counts = new Uint32Array(LONGEST_CODE + 1);
  for (const l of lengths) counts[l]++;
  counts[0] = 0;
  const least = new Float64Array(LONGEST_CODE + 1);
  const starts = new Uint32Array(LONGEST_CODE + 1);
  let [next, start] = [0, 0];
  for (let l = LONGEST_CODE; l > 0; l--) {
    if (counts[l] > 0 && l > LONGEST_READ) throw new RangeError('a code too long');
    least[l] = next;
    starts[l] = start;
    start += counts[l];
    next = Math.floor((next + counts[l]) / 2);
  }
  const symbols = new Uint32Array(start);
  const filled = starts.slice();
  const quick = new Uint32Array(1 << QUICK);
  lengths.forEach((l, k) => {
    if (l === 0) return;
    const code = least[l] + filled[l] - starts[l];
    if (code >= 2 ** l) throw new RangeError('a code too large');
    symbols[filled[l]++] = first + k;
    if (l > QUICK) return;
    const from = code << (QUICK - l);
    quick.fill((first + k) * 64 + l, from, from + (1 << (QUICK - l)));
  });
  return { quick, least, counts, starts, symbols };
}

function decode(data: Uint8Array, bits: number, code: Code, repeat: number, out: Uint16Array): void {
  const { quick, least, counts, starts, symbols } = code;
  const end = Math.min(bits, data.length * 8);
  let bit = 0;
  let to = 0;
  while (to < out.length) {
    const at = bit >> 3;
    // beyond the end there are zeros
    const word = (data[at] << 16) | (data[at + 1] << 8) | data[at + 2];
    const entry = quick[(word >> (24 - QUICK - (bit & 7))) & ((1 << QUICK) - 1)];
    let symbol: number;
    if (entry > 0) {
      symbol = entry >>> 6;
      bit += entry & 63;
    } else {
      let value = (word >> (24 - QUICK - (bit & 7))) & ((1 << QUICK) - 1);
      let length = QUICK;
      bit += QUICK;
      do {
        if (++length > LONGEST_READ) throw new RangeError('no such code');
        value = value * 2 + ((data[bit >> 3] >> (7 - (bit & 7))) & 1);
        bit++;
      } while (!(value >= least[length] && value - least[length] < counts[length]));
      symbol = symbols[starts[length] + value - least[length]];
    }
    if (bit > end) throw new RangeError('too short');
    if (symbol !== repeat) {
      out[to++] = symbol;
      continue;
    }
    const pair = (data[bit >> 3] << 8) | data[(bit >> 3) + 1];
    const times = (pair >> (8 - (bit & 7))) & 255;
    bit += 8;
    if (bit > end || to === 0 || to + times > out.length) throw new RangeError('a run out of range');
    out.fill(out[to - 1], to, to + times);
    to += times;
  }
}

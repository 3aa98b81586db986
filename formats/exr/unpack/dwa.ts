/**
 * DWAA and DWAB blocks of OpenEXR: colours as cosine transforms of 8×8 pixels of what the eye sees, with losses; alpha in
 * runs; the rest deflated. (Layout after the format's reference library; the transform after Ahmed, Natarajan and Rao 1974,
 * Discrete Cosine Transform.)
 */
import { HALF, type ExrFileChannel } from '../exrHeader';
import { fromHalf, halfTable, toHalf } from '../half';
import { restoreBytes } from '../restoreBytes';
import { unpackHuffman } from './huffman';
import { unrun } from './unrun';
import type { Inflate } from '../../inflate';
import type { BlockSize } from './unpackBlock';

const [UNKNOWN, LOSSY, RUNS] = [0, 1, 2];
const HEADER_BYTES = 88;
/** More than this of coefficients or bytes a pixel and channel is damage. */
const MOST_A_PIXEL = 8;

interface Rule {
  /** What stands behind the last dot of a channel's name. */
  suffix: string;
  anyCase: boolean;
  type: number;
  scheme: number;
  /** Its place among red, green and blue, −1 for none. */
  color: number;
}

/** What is in a block, unpacked but for the transform. */
interface Parts {
  rest: Uint8Array;
  runs: Uint8Array;
  /** Coefficients but the first of each square, halves with codes for zeros. */
  waves: Uint16Array;
  /** First coefficient of each square, halves, a channel after the other. */
  means: Uint16Array;
}

/** Where in the stream of coefficients the reader stands. */
interface Place {
  wave: number;
  mean: number;
}

/** @throws RangeError when the data is damaged */
export function unpackDwa(
  packed: Uint8Array,
  channels: readonly ExrFileChannel[],
  { width, height }: BlockSize,
  inflate: Inflate,
): Uint8Array {
  const { rules, parts } = readParts(packed, width * height * channels.length, inflate);
  const schemes = channels.map((c) => schemeOf(c, rules));
  const sizes = channels.map((c) => (c.type === HALF ? 2 : 4));
  const lineBytes = sizes.reduce((sum, s) => sum + s, 0) * width;
  const starts = sizes.map((_, c) => sizes.slice(0, c).reduce((sum, s) => sum + s, 0) * width);
  const out = new Uint8Array(lineBytes * height);
  const view = new DataView(out.buffer);
  const place: Place = { wave: 0, mean: 0 };
  const put = (c: number, x: number, y: number, half: number): void => {
    const at = y * lineBytes + starts[c] + x * sizes[c];
    if (sizes[c] === 2) view.setUint16(at, half, true);
    else view.setFloat32(at, fromHalf(half), true);
  };
  const done = new Set<number>();
  for (const three of colorSets(channels, schemes)) {
    readSquares(parts, place, three.length, width, height, (k, x, y, value) => put(three[k], x, y, asLight(value)));
    three.forEach((c) => done.add(c));
  }
  let [rest, runs] = [0, 0];
  channels.forEach((channel, c) => {
    if (done.has(c)) return;
    const bytes = sizes[c] * width * height;
    const line = (y: number): number => y * lineBytes + starts[c];
    if (schemes[c].scheme === LOSSY) {
      const code = channel.perceptual ? toHalf : asLight;
      readSquares(parts, place, 1, width, height, (_, x, y, value) => put(c, x, y, code(value)));
    } else if (schemes[c].scheme === RUNS) {
      // a plane for each byte of the numbers
      for (let i = 0; i < width * height; i++)
        for (let k = 0; k < sizes[c]; k++)
          out[line(Math.floor(i / width)) + (i % width) * sizes[c] + k] = parts.runs[runs + k * width * height + i];
      runs += bytes;
    } else {
      for (let y = 0; y < height; y++) {
        const from = rest + y * sizes[c] * width;
        out.set(parts.rest.subarray(from, from + sizes[c] * width), line(y));
      }
      rest += bytes;
    }
  });
  if (rest > parts.rest.length || runs > parts.runs.length) throw new RangeError('too short');
  return out;
}

function readParts(packed: Uint8Array, numbers: number, inflate: Inflate): { rules: Rule[]; parts: Parts } {
  const view = new DataView(packed.buffer, packed.byteOffset, packed.byteLength);
  if (packed.length < HEADER_BYTES) throw new RangeError('too short');
  const field = (k: number): number => Number(view.getBigUint64(k * 8, true));
  const [version, restSize, restPacked, wavesPacked, meansPacked, runsPacked, runsSize, runsRaw, waves, means, coding] =
    Array.from({ length: 11 }, (_, k) => field(k));
  for (const size of [restSize, runsSize, runsRaw, waves, means])
    if (size > numbers * MOST_A_PIXEL + 1024) throw new RangeError('more data than there can be');
  let at = HEADER_BYTES;
  let rules = OLD_RULES;
  if (version >= 2) {
    const end = at + view.getUint16(at, true);
    rules = readRules(packed.subarray(at + 2, end));
    at = end;
  }
  const take = (size: number): Uint8Array => {
    at += size;
    if (at > packed.length) throw new RangeError('too short');
    return packed.subarray(at - size, at);
  };
  const inflated = (bytes: Uint8Array, size: number): Uint8Array => {
    const raw = bytes.length > 0 ? inflate(bytes, size) : new Uint8Array(0);
    if (raw.length !== (bytes.length > 0 ? size : 0)) throw new RangeError('too short');
    return raw;
  };
  const rest = inflated(take(restPacked), restSize);
  const waveBytes = take(wavesPacked);
  const coefficients = new Uint16Array(waves);
  if (wavesPacked > 0) {
    if (coding === 0) unpackHuffman(waveBytes, coefficients);
    else new Uint8Array(coefficients.buffer).set(inflated(waveBytes, waves * 2));
  }
  // what `restoreBytes` gives is used again by its next call
  const firsts = restoreBytes(inflated(take(meansPacked), means * 2)).slice();
  const runs = unrun(inflated(take(runsPacked), runsSize), runsRaw);
  return { rules, parts: { rest, runs, waves: coefficients, means: new Uint16Array(firsts.buffer) } };
}

function readRules(bytes: Uint8Array): Rule[] {
  const rules: Rule[] = [];
  for (let at = 0; at < bytes.length;) {
    const end = bytes.indexOf(0, at);
    if (end < 0 || end + 2 >= bytes.length) throw new RangeError('its rules are damaged');
    const suffix = new TextDecoder('latin1').decode(bytes.subarray(at, end));
    const value = bytes[end + 1];
    rules.push({
      suffix,
      anyCase: (value & 1) !== 0,
      type: bytes[end + 2],
      scheme: (value >> 2) & 3,
      color: (value >> 4) - 1,
    });
    at = end + 3;
  }
  return rules;
}

/** Of files that do not say theirs. */
const OLD_RULES: Rule[] = [
  ...[
    ['r', 'red'],
    ['g', 'grn', 'green'],
    ['b', 'blu', 'blue'],
    ['y', 'by', 'ry'],
  ].flatMap((suffixes, k) =>
    suffixes.flatMap((suffix) =>
      [1, 2].map((type) => ({ suffix, anyCase: true, type, scheme: LOSSY, color: k < 3 ? k : -1 })),
    ),
  ),
  ...[0, 1, 2].map((type) => ({ suffix: 'a', anyCase: true, type, scheme: RUNS, color: -1 })),
];

function schemeOf(channel: ExrFileChannel, rules: readonly Rule[]): { scheme: number; color: number } {
  const suffix = channel.name.slice(channel.name.lastIndexOf('.') + 1);
  let found = { scheme: UNKNOWN, color: -1 };
  for (const rule of rules) {
    const alike = rule.anyCase ? suffix.toLowerCase() === rule.suffix.toLowerCase() : suffix === rule.suffix;
    if (alike && rule.type === channel.type) found = { scheme: rule.scheme, color: rule.color };
  }
  return found;
}

/** Channels of one layer that are red, green and blue together: stored as brightness and two differences. */
function colorSets(channels: readonly ExrFileChannel[], schemes: readonly { color: number }[]): number[][] {
  const layers = new Map<string, number[]>();
  channels.forEach(({ name }, c) => {
    const layer = name.slice(0, name.lastIndexOf('.') + 1);
    if (!layers.has(layer)) layers.set(layer, []);
    if (schemes[c].color >= 0) layers.get(layer)![schemes[c].color] = c;
  });
  return [...layers.values()].filter((set) => [0, 1, 2].every((k) => set[k] !== undefined));
}

/** Row by row of a square, where its coefficients stand in the stream. */
const ZIGZAG = [
  0, 1, 5, 6, 14, 15, 27, 28, 2, 4, 7, 13, 16, 26, 29, 42, 3, 8, 12, 17, 25, 30, 41, 43, 9, 11, 18, 24, 31, 40, 44, 53,
  10, 19, 23, 32, 39, 45, 52, 54, 20, 22, 33, 38, 46, 51, 55, 60, 21, 34, 37, 47, 50, 56, 59, 61, 35, 36, 48, 49, 57,
  58, 62, 63,
];
/** Cosine of each wave, a row, at each place, a column; orthonormal. */
const WAVES = Float64Array.from({ length: 64 }, (_, i) => {
  const [k, x] = [i >> 3, i & 7];
  return (k === 0 ? Math.SQRT1_2 : 1) * 0.5 * Math.cos(((2 * x + 1) * k * Math.PI) / 16);
});

/**
 * Goes through the squares of one channel, or of three that are stored as brightness and differences.
 * @param put called for each pixel of each channel with the value as the eye sees it
 */
function readSquares(
  { waves, means }: Parts,
  place: Place,
  count: number,
  width: number,
  height: number,
  put: (channel: number, x: number, y: number, value: number) => void,
): void {
  const [across, down] = [Math.ceil(width / 8), Math.ceil(height / 8)];
  if (place.mean + across * down * count > means.length) throw new RangeError('too short');
  const squares = Array.from({ length: count }, () => new Float64Array(64));
  const stream = new Uint16Array(64);
  const light = [0, 0, 0];
  for (let b = 0; b < across * down; b++) {
    squares.forEach((square, k) => {
      stream.fill(0);
      stream[0] = means[place.mean + k * across * down + b];
      readWaves(waves, place, stream);
      transform(stream, square);
    });
    const [x0, y0] = [(b % across) * 8, Math.floor(b / across) * 8];
    for (let y = y0; y < Math.min(height, y0 + 8); y++)
      for (let x = x0; x < Math.min(width, x0 + 8); x++) {
        const i = (y - y0) * 8 + x - x0;
        if (count === 1) {
          put(0, x, y, squares[0][i]);
          continue;
        }
        const [bright, blue, red] = [squares[0][i], squares[1][i], squares[2][i]];
        light[0] = bright + 1.5747 * red;
        light[1] = bright - 0.1873 * blue - 0.4682 * red;
        light[2] = bright + 1.8556 * blue;
        for (let k = 0; k < 3; k++) put(k, x, y, light[k]);
      }
  }
  place.mean += across * down * count;
}

/** Coefficients of one square: halves, 0xff.. for so many zeros, 0xff00 for none but zeros from here. */
function readWaves(waves: Uint16Array, place: Place, stream: Uint16Array): void {
  for (let k = 1; k < 64;) {
    if (place.wave >= waves.length) throw new RangeError('too short');
    const value = waves[place.wave++];
    if (value === 0xff00) return;
    if (value >> 8 === 0xff) k += value & 0xff;
    else stream[k++] = value;
  }
}

const rows = new Float64Array(64);

/** From waves to pixels; most waves are zero. */
function transform(stream: Uint16Array, square: Float64Array): void {
  const table = halfTable();
  square.fill(0);
  for (let v = 0; v < 8; v++) {
    let any = false;
    for (let u = 0; u < 8; u++) {
      const wave = table[stream[ZIGZAG[v * 8 + u]]];
      if (wave === 0) continue;
      if (!any) rows.fill(0, v * 8, v * 8 + 8);
      any = true;
      for (let x = 0; x < 8; x++) rows[v * 8 + x] += wave * WAVES[u * 8 + x];
    }
    if (!any) continue;
    for (let y = 0; y < 8; y++) for (let x = 0; x < 8; x++) square[y * 8 + x] += rows[v * 8 + x] * WAVES[v * 8 + y];
  }
}

let lightCodes: Uint16Array | null = null;

/** What the eye sees, kept as a power of 2.2 up to one and as a logarithm above, back to light; as halves. */
function asLight(value: number): number {
  lightCodes ??= Uint16Array.from({ length: 65536 }, (_, half) => {
    const seen = fromHalf(half);
    if (!Number.isFinite(seen)) return 0;
    const size = Math.abs(seen);
    return toHalf(Math.sign(seen) * (size <= 1 ? size ** 2.2 : Math.exp(2.2 * (size - 1))));
  });
  return lightCodes[toHalf(value)];
}

/**
 * Radiance pictures (`.hdr`): lines of text, then scan lines of red, green, blue and a common exponent, run-length coded.
 * Ward 1991, Real Pixels (Graphics Gems II). Lines are reduced as they are read, so that a huge picture never lies whole in
 * memory.
 */
import { BadFileError } from '@daxel/core/errors';
import type { EnvironmentPicture } from '@daxel/core/scene/source';

export interface HdrHeader {
  width: number;
  height: number;
  /** Where the scan lines begin. */
  offset: number;
  /** Factor that the file says its values were multiplied by. */
  exposure: number;
}

const HEADER_LIMIT = 64 * 1024;

/** @returns null when the bytes do not begin as such a picture does */
export function readHdrHeader(bytes: Uint8Array, name: string): HdrHeader | null {
  if (bytes[0] !== 0x23 || bytes[1] !== 0x3f) return null;
  const text = new TextDecoder('latin1').decode(bytes.subarray(0, HEADER_LIMIT));
  const end = text.indexOf('\n\n');
  const lineEnd = end < 0 ? -1 : text.indexOf('\n', end + 2);
  const damaged = (what: string): BadFileError => new BadFileError(name, what, 'Save the picture again as .hdr.');
  if (lineEnd < 0) throw damaged('its header does not end');
  const head = text.slice(0, end);
  const format = /^FORMAT=(.*)$/m.exec(head)?.[1].trim();
  if (format && format !== '32-bit_rle_rgbe') throw damaged(`its pixels are of the kind "${format}", not RGBE`);
  const size = /^-Y (\d{1,6}) \+X (\d{1,6})$/.exec(text.slice(end + 2, lineEnd).trim());
  if (!size) throw damaged('its size line is not "-Y height +X width"');
  let exposure = 1;
  for (const m of head.matchAll(/^EXPOSURE=\s*([\d.eE+-]+)\s*$/gm)) exposure *= Number(m[1]);
  if (!(exposure > 0 && Number.isFinite(exposure))) exposure = 1;
  const [height, width] = [Number(size[1]), Number(size[2])];
  if (height < 1 || width < 1) throw damaged('it is empty');
  return { width, height, offset: lineEnd + 1, exposure };
}

/**
 * @param factor every pixel of the result is the mean of factor × factor pixels
 * @throws BadFileError naming the scan line where the data ends or is wrong
 */
export function readHdr(bytes: Uint8Array, name: string, header: HdrHeader, factor = 1): EnvironmentPicture {
  const { width, height } = header;
  const w = Math.floor(width / factor);
  const h = Math.floor(height / factor);
  const rgb = new Float32Array(w * h * 3);
  const line = new Uint8Array(width * 4);
  let at = header.offset;
  const weight = 1 / (factor * factor * header.exposure);
  for (let y = 0; y < h * factor; y++) {
    at = readLine(bytes, at, width, line);
    if (at < 0)
      throw new BadFileError(
        name,
        `its data is cut short or damaged at line ${y + 1} of ${height}`,
        'Copy or save it again.',
      );
    const row = Math.floor(y / factor) * w * 3;
    for (let x = 0; x < w * factor; x++) {
      const e = line[3 * width + x];
      if (e === 0) continue;
      const scale = exponents[e] * weight;
      const o = row + Math.floor(x / factor) * 3;
      rgb[o] += line[x] * scale;
      rgb[o + 1] += line[width + x] * scale;
      rgb[o + 2] += line[2 * width + x] * scale;
    }
  }
  return { width: w, height: h, rgb };
}

/** 2^(e − 136): the exponent's bias of 128 and the eight bits of the mantissa. */
const exponents = Float64Array.from({ length: 256 }, (_, e) => 2 ** (e - 136));

/** One scan line into four planes r, g, b, e. @returns where the next one begins, −1 when this one is damaged */
function readLine(bytes: Uint8Array, at: number, width: number, line: Uint8Array): number {
  const coded =
    width >= 8 &&
    width <= 0x7fff &&
    bytes[at] === 2 &&
    bytes[at + 1] === 2 &&
    ((bytes[at + 2] << 8) | bytes[at + 3]) === width;
  if (!coded) {
    if (at + width * 4 > bytes.length) return -1;
    for (let x = 0; x < width; x++) for (let c = 0; c < 4; c++) line[c * width + x] = bytes[at + x * 4 + c];
    return at + width * 4;
  }
  at += 4;
  for (let c = 0; c < 4; c++) {
    let x = c * width;
    const end = x + width;
    while (x < end) {
      if (at + 1 >= bytes.length) return -1;
      const code = bytes[at++];
      const run = code > 128;
      const count = run ? code - 128 : code;
      if (count === 0 || x + count > end) return -1;
      if (run) line.fill(bytes[at++], x, x + count);
      else {
        if (at + count > bytes.length) return -1;
        line.set(bytes.subarray(at, at + count), x);
        at += count;
      }
      x += count;
    }
  }
  return at;
}

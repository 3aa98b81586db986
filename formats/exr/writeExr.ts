/**
 * OpenEXR files: one part, scan lines, ZIP compression in blocks of 16 lines, half or float channels.
 * Layout after "OpenEXR File Layout", openexr.com technical documentation.
 */
import { BadInputError } from '@daxel/core/errors';
import { halfConverter } from './halfConverter';

export interface ExrChannel {
  /** `R`, `depth.Z` … */
  name: string;
  /** One number a pixel, from the top left. */
  data: Float32Array;
  /** Distance between the numbers of neighbouring pixels, 1 by default. */
  stride?: number;
  /** Index of the first number, 0 by default. */
  offset?: number;
  /** Some channels (depth, object numbers) lose their meaning as halves. */
  alwaysFloat?: boolean;
}

export interface ExrOptions {
  width: number;
  height: number;
  channels: readonly ExrChannel[];
  pixelType: 'half' | 'float';
  /** zlib-format deflate. */
  deflate: (bytes: Uint8Array) => Uint8Array;
  /** Text attributes of the header. */
  attributes?: Record<string, string>;
}

const LINES_PER_BLOCK = 16;
const ZIP_COMPRESSION = 3;
const HALF = 1;
const FLOAT = 2;

/** @throws BadInputError when a size is zero or a channel is too short */
export function writeExr(options: ExrOptions): Uint8Array {
  const { width, height, pixelType } = options;
  if (!(width > 0 && height > 0)) throw new BadInputError(`An EXR picture of ${width}×${height} pixels is empty.`);
  const channels = [...options.channels]
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .map((c) => ({
      name: c.name,
      data: c.data,
      stride: c.stride ?? 1,
      offset: c.offset ?? 0,
      type: pixelType === 'float' || c.alwaysFloat ? FLOAT : HALF,
    }));
  for (const c of channels) {
    if (c.data.length < (width * height - 1) * c.stride + c.offset + 1)
      throw new BadInputError(`EXR channel ${c.name} is shorter than ${width}×${height} pixels.`);
  }
  const lineBytes = channels.reduce((sum, c) => sum + width * (c.type === FLOAT ? 4 : 2), 0);
  const toHalves = halfConverter(width);
  const row = new Float32Array(width);
  const blocks: Uint8Array[] = [];
  for (let y0 = 0; y0 < height; y0 += LINES_PER_BLOCK) {
    const lines = Math.min(LINES_PER_BLOCK, height - y0);
    const raw = new Uint8Array(lineBytes * lines);
    const view = new DataView(raw.buffer);
    let at = 0;
    for (let y = y0; y < y0 + lines; y++) {
      for (const c of channels) {
        let p = y * width * c.stride + c.offset;
        if (c.type === HALF) {
          for (let x = 0; x < width; x++, p += c.stride) row[x] = c.data[p];
          const halves = toHalves(row);
          for (let x = 0; x < width; x++, at += 2) view.setUint16(at, halves[x], true);
          continue;
        }
        for (let x = 0; x < width; x++, p += c.stride, at += 4) view.setFloat32(at, c.data[p], true);
      }
    }
    const packed = options.deflate(predict(raw));
    const body = packed.length < raw.length ? packed : raw;
    const block = new Uint8Array(8 + body.length);
    const head = new DataView(block.buffer);
    head.setInt32(0, y0, true);
    head.setInt32(4, body.length, true);
    block.set(body, 8);
    blocks.push(block);
  }
  const header = writeHeader(options, channels);
  const total = header.length + blocks.length * 8 + blocks.reduce((sum, b) => sum + b.length, 0);
  const file = new Uint8Array(total);
  file.set(header);
  const offsets = new DataView(file.buffer, header.length, blocks.length * 8);
  let at = header.length + blocks.length * 8;
  blocks.forEach((block, i) => {
    offsets.setBigUint64(i * 8, BigInt(at), true);
    file.set(block, at);
    at += block.length;
  });
  return file;
}

/** Even bytes first, odd bytes second, then differences: what makes floats compressible. */
function predict(raw: Uint8Array): Uint8Array {
  const out = new Uint8Array(raw.length);
  const half = (raw.length + 1) >> 1;
  for (let i = 0, j = 0; i < raw.length; i += 2, j++) {
    out[j] = raw[i];
    if (i + 1 < raw.length) out[half + j] = raw[i + 1];
  }
  for (let i = out.length - 1; i > 0; i--) out[i] = out[i] - out[i - 1] + 128;
  return out;
}

function writeHeader(options: ExrOptions, channels: { name: string; type: number }[]): Uint8Array {
  const bytes: number[] = [];
  const text = (s: string): void => void bytes.push(...new TextEncoder().encode(s), 0);
  const int = (n: number): void => void bytes.push(n & 255, (n >> 8) & 255, (n >> 16) & 255, (n >> 24) & 255);
  const float = (n: number): void => void bytes.push(...new Uint8Array(Float32Array.of(n).buffer));
  const attribute = (name: string, type: string, size: number): void => {
    text(name);
    text(type);
    int(size);
  };
  int(20000630);
  // version 2; bit 10 allows names of up to 255 bytes
  int(2 | (channels.some((c) => c.name.length > 31) ? 0x400 : 0));
  attribute('channels', 'chlist', channels.reduce((sum, c) => sum + c.name.length + 17, 0) + 1);
  for (const c of channels) {
    text(c.name);
    int(c.type);
    int(0);
    int(1);
    int(1);
  }
  bytes.push(0);
  attribute('compression', 'compression', 1);
  bytes.push(ZIP_COMPRESSION);
  for (const name of ['dataWindow', 'displayWindow']) {
    attribute(name, 'box2i', 16);
    int(0);
    int(0);
    int(options.width - 1);
    int(options.height - 1);
  }
  attribute('lineOrder', 'lineOrder', 1);
  bytes.push(0);
  attribute('pixelAspectRatio', 'float', 4);
  float(1);
  attribute('screenWindowCenter', 'v2f', 8);
  float(0);
  float(0);
  attribute('screenWindowWidth', 'float', 4);
  float(1);
  for (const [name, value] of Object.entries(options.attributes ?? {})) {
    const encoded = new TextEncoder().encode(value);
    attribute(name, 'string', encoded.length);
    bytes.push(...encoded);
  }
  bytes.push(0);
  return Uint8Array.from(bytes);
}

/**
 * The common kind of PNG (8 bits a channel, no palette, not interlaced), unpacked by an inflater of the place it runs in:
 * large textures are mostly of that kind, and a compiled inflater takes a tenth of the time of one in TypeScript.
 * Source: Portable Network Graphics (PNG) Specification, second edition, W3C 2003, sections 7 and 9.
 */
import type { Inflate } from '../inflate';
import { pngChunks } from './chunks';

/** Channels by colour type. */
const CHANNELS: Partial<Record<number, number>> = { 0: 1, 2: 3, 4: 2, 6: 4 };

/**
 * @returns rgba, rows from the top; null where it is of another kind
 * @throws Error when it is damaged
 */
export function unpackPlainPng(png: Uint8Array, inflate: Inflate): Uint8Array | null {
  const view = new DataView(png.buffer, png.byteOffset, png.byteLength);
  if (png.length < 33) return null;
  const [width, height] = [view.getUint32(16), view.getUint32(20)];
  const [depth, colorType, , , interlaced] = png.subarray(24, 29);
  const channels = CHANNELS[colorType];
  if (depth !== 8 || channels === undefined || interlaced !== 0) return null;
  const packed = contentsOf(png);
  if (!packed) return null;
  const stride = width * channels;
  const rows = inflate(packed, (stride + 1) * height);
  if (rows.length < (stride + 1) * height) throw new Error('its contents end too early');
  const pixels = new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++) {
    const at = y * (stride + 1) + 1;
    unfilter(rows, at, stride, channels, y > 0);
    widen(rows, at, channels, pixels, y * width * 4, width);
  }
  return pixels;
}

/** What all IDAT chunks hold together; null where a tRNS chunk makes a colour transparent. */
function contentsOf(png: Uint8Array): Uint8Array | null {
  const parts: Uint8Array[] = [];
  for (const { kind, data } of pngChunks(png)) {
    if (kind === 'tRNS') return null;
    if (kind === 'IDAT') parts.push(data);
  }
  if (parts.length === 1) return parts[0];
  const all = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  let to = 0;
  for (const part of parts) {
    all.set(part, to);
    to += part.length;
  }
  return all;
}

/**
 * Adds back what a row was predicted by (section 9.2), in place.
 * @param at where its bytes begin, behind the number of its filter; the row above lies stride + 1 bytes before
 * @param above there is one
 */
function unfilter(rows: Uint8Array, at: number, stride: number, channels: number, above: boolean): void {
  const filter = rows[at - 1];
  const end = at + stride;
  const up = stride + 1;
  // over the first row lie zeros
  if (filter === 0 || (filter === 2 && !above)) return;
  if (filter === 1 || (filter === 4 && !above)) {
    for (let i = at + channels; i < end; i++) rows[i] += rows[i - channels];
  } else if (filter === 2) {
    for (let i = at; i < end; i++) rows[i] += rows[i - up];
  } else if (filter === 3) {
    for (let i = at; i < end; i++) {
      const left = i - channels < at ? 0 : rows[i - channels];
      rows[i] += (left + (above ? rows[i - up] : 0)) >> 1;
    }
  } else if (filter === 4) {
    for (let i = at; i < at + channels; i++) rows[i] += rows[i - up];
    for (let i = at + channels; i < end; i++) {
      const a = rows[i - channels];
      const b = rows[i - up];
      const c = rows[i - up - channels];
      const pa = Math.abs(b - c);
      const pb = Math.abs(a - c);
      const pc = Math.abs(a + b - c - c);
      rows[i] += pa <= pb && pa <= pc ? a : pb <= pc ? b : c;
    }
  } else throw new Error(`a row has the filter ${filter}, which does not exist`);
}

/** Pixels of so many channels as rgba. The common kinds in loops of their own: they take a third of the time. */
function widen(rows: Uint8Array, from: number, channels: number, to: Uint8Array, at: number, width: number): void {
  if (channels === 4) return to.set(rows.subarray(from, from + width * 4), at);
  const end = at + width * 4;
  if (channels === 3) {
    for (; at < end; from += 3, at += 4) {
      to[at] = rows[from];
      to[at + 1] = rows[from + 1];
      to[at + 2] = rows[from + 2];
      to[at + 3] = 255;
    }
    return;
  }
  for (; at < end; from += channels, at += 4) {
    to[at] = to[at + 1] = to[at + 2] = rows[from];
    to[at + 3] = channels === 2 ? rows[from + 1] : 255;
  }
}

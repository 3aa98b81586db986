/** Display-referred pictures as PNG, 8 or 16 bit. */
import { encode } from 'fast-png';

/**
 * @param rgba sRGB codes, four a pixel; alpha is left out
 * @param text Latin-1 texts by name
 */
export function encodePng8(rgba: Uint8Array, width: number, height: number, text?: Record<string, string>): Uint8Array {
  const rgb = new Uint8Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    rgb[i * 3] = rgba[i * 4];
    rgb[i * 3 + 1] = rgba[i * 4 + 1];
    rgb[i * 3 + 2] = rgba[i * 4 + 2];
  }
  return encode({ width, height, data: rgb, channels: 3, depth: 8, text });
}

/** @param rgb sRGB codes of 16 bit, three a pixel */
export function encodePng16(rgb: Uint16Array, width: number, height: number): Uint8Array {
  return encode({ width, height, data: rgb, channels: 3, depth: 16 });
}

const SIGNATURE = [0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a];

/** A text of a PNG file by its name, without reading the picture; null where there is none, or the file is cut short. */
export function textOfPng(bytes: Uint8Array, name: string): string | null {
  if (!SIGNATURE.every((b, i) => bytes[i] === b)) return null;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const latin1 = new TextDecoder('latin1');
  let found: string | null = null;
  for (let at = SIGNATURE.length; at + 12 <= bytes.length;) {
    const length = view.getUint32(at);
    if (at + 12 + length > bytes.length) return null;
    const kind = latin1.decode(bytes.subarray(at + 4, at + 8));
    if (kind === 'IEND') return found;
    if (kind === 'tEXt') {
      const [key, value] = latin1.decode(bytes.subarray(at + 8, at + 8 + length)).split('\0');
      if (key === name) found = value;
    }
    at += 12 + length;
  }
  return null;
}

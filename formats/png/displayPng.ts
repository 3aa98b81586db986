/** Display-referred pictures as PNG, 8 or 16 bit. */
import { PNG_SIGNATURE, pngChunks } from './chunks';
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

/** A text of a PNG file by its name, without reading the picture; null where there is none, or the file is cut short. */
export function textOfPng(bytes: Uint8Array, name: string): string | null {
  if (!PNG_SIGNATURE.every((b, i) => bytes[i] === b)) return null;
  let found: string | null = null;
  for (const { kind, data } of pngChunks(bytes)) {
    if (kind === 'IEND') return found;
    if (kind !== 'tEXt') continue;
    const [key, value] = new TextDecoder('latin1').decode(data).split('\0');
    if (key === name) found = value;
  }
  return null;
}

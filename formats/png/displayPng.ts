/** Display-referred pictures as PNG, 8 or 16 bit. */
import { encode } from 'fast-png';

/** @param rgba sRGB codes, four a pixel; alpha is left out */
export function encodePng8(rgba: Uint8Array, width: number, height: number): Uint8Array {
  const rgb = new Uint8Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    rgb[i * 3] = rgba[i * 4];
    rgb[i * 3 + 1] = rgba[i * 4 + 1];
    rgb[i * 3 + 2] = rgba[i * 4 + 2];
  }
  return encode({ width, height, data: rgb, channels: 3, depth: 8 });
}

/** @param rgb sRGB codes of 16 bit, three a pixel */
export function encodePng16(rgb: Uint16Array, width: number, height: number): Uint8Array {
  return encode({ width, height, data: rgb, channels: 3, depth: 16 });
}

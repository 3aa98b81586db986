/** From functions of (u, v) to images. */
import { linearToSrgb } from '@daxel/core/math/color';
import type { ImageSource } from '@daxel/core/scene/source';

/** Writes linear rgba 0…1 for a place of the unit square. */
export type Painter = (u: number, v: number, out: Float64Array) => void;

const CODES = Uint8Array.from({ length: 1025 }, (_, i) => Math.round(linearToSrgb(i / 1024) * 255));

/** A colour picture: the painter works in linear light, the image holds sRGB codes. */
export function paintColor(name: string, width: number, height: number, painter: Painter): ImageSource {
  return paint(name, width, height, painter, (c) => CODES[Math.round(clamp(c) * 1024)]);
}

/** A picture of data, such as occlusion, roughness and metalness in r, g, b. */
export function paintData(name: string, width: number, height: number, painter: Painter): ImageSource {
  return paint(name, width, height, painter, (c) => Math.round(clamp(c) * 255));
}

function paint(
  name: string,
  width: number,
  height: number,
  painter: Painter,
  encode: (c: number) => number,
): ImageSource {
  const pixels = new Uint8Array(width * height * 4);
  const out = new Float64Array(4);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      out[3] = 1;
      painter((x + 0.5) / width, (y + 0.5) / height, out);
      const o = (y * width + x) * 4;
      for (let c = 0; c < 3; c++) pixels[o + c] = encode(out[c]);
      pixels[o + 3] = Math.round(clamp(out[3]) * 255);
    }
  }
  return { name, width, height, pixels };
}

/**
 * A normal map from heights in metres over a square of `metres` a side; wraps around.
 * @param strength 1 for the true slopes
 */
export function paintNormals(
  name: string,
  size: number,
  metres: number,
  height: (u: number, v: number) => number,
  strength = 1,
): ImageSource {
  const h = new Float32Array(size * size);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) h[y * size + x] = height((x + 0.5) / size, (y + 0.5) / size);
  const pixels = new Uint8Array(size * size * 4);
  const k = (strength * size) / (2 * metres);
  for (let y = 0; y < size; y++) {
    const up = ((y + size - 1) % size) * size;
    const down = ((y + 1) % size) * size;
    for (let x = 0; x < size; x++) {
      const left = (x + size - 1) % size;
      const right = (x + 1) % size;
      const nx = (h[y * size + left] - h[y * size + right]) * k;
      // green points up in the picture
      const ny = (h[down + x] - h[up + x]) * k;
      const l = 1 / Math.sqrt(nx * nx + ny * ny + 1);
      const o = (y * size + x) * 4;
      pixels[o] = Math.round(127.5 + 127.5 * nx * l);
      pixels[o + 1] = Math.round(127.5 + 127.5 * ny * l);
      pixels[o + 2] = Math.round(127.5 + 127.5 * l);
      pixels[o + 3] = 255;
    }
  }
  return { name, width: size, height: size, pixels };
}

/** A function of (u, v) worked out once on a grid of `size`² places, for several painters of that size to share. */
export function onGrid(size: number, f: (u: number, v: number) => number): (u: number, v: number) => number {
  const values = new Float32Array(size * size);
  for (let y = 0; y < size; y++)
    for (let x = 0; x < size; x++) values[y * size + x] = f((x + 0.5) / size, (y + 0.5) / size);
  return (u, v) => values[Math.floor(v * size) * size + Math.floor(u * size)];
}

function clamp(c: number): number {
  return c < 0 ? 0 : c > 1 ? 1 : c;
}

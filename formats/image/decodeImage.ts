/** Pictures that textures come in: PNG and JPEG, told apart by their first bytes. */
import { decode as decodePng } from 'fast-png';
import jpeg from 'jpeg-js';
import { BadFileError } from '@daxel/core/errors';
import { whyNot } from '../whyNot';
import type { ImageSource } from '@daxel/core/scene/source';
import type { Inflate } from '../inflate';
import { unpackPlainPng } from '../png/plainPng';

export const MAX_IMAGE_SIDE = 8192;

/**
 * A picture whose pixels are unpacked whenever they are asked for, and kept nowhere: large ones one at a time.
 * @param name named in errors
 * @param inflate unpacks the common kind of PNG, where there is something quicker than TypeScript
 * @returns rgba, 8 bit
 * @throws BadFileError when the bytes are no PNG or JPEG, empty or too large; for damage when the pixels are asked for
 */
export function lazyImage(bytes: Uint8Array, name: string, inflate?: Inflate): ImageSource {
  const { width, height, kind } = checkedSize(bytes, name);
  return {
    ...{ name, width, height },
    get pixels() {
      try {
        if (kind === 'jpeg') return fromJpeg(bytes);
        return (inflate && unpackPlainPng(bytes, inflate)) ?? fromPng(bytes);
      } catch (error) {
        throw new BadFileError(
          name,
          `the picture is damaged (${whyNot(error, 'its contents make no sense')})`,
          'Export it again.',
        );
      }
    },
  };
}

function checkedSize(bytes: Uint8Array, name: string): NonNullable<ReturnType<typeof imageSize>> {
  const size = imageSize(bytes);
  if (!size) throw new BadFileError(name, 'the picture is neither PNG nor JPEG', 'Export its textures as PNG or JPEG.');
  if (size.width < 1 || size.height < 1) throw new BadFileError(name, 'the picture is empty', 'Replace it.');
  if (size.width > MAX_IMAGE_SIDE || size.height > MAX_IMAGE_SIDE)
    throw new BadFileError(
      name,
      `the picture is ${size.width}×${size.height} pixels`,
      `Reduce it to at most ${MAX_IMAGE_SIDE} pixels a side.`,
    );
  return size;
}

/** Size without decoding, so that a bomb is refused before it is unpacked; null when it is no known picture. */
export function imageSize(bytes: Uint8Array): { kind: 'png' | 'jpeg'; width: number; height: number } | null {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (bytes.length >= 24 && view.getUint32(0) === 0x89504e47)
    return { kind: 'png', width: view.getUint32(16), height: view.getUint32(20) };
  if (bytes.length < 4 || view.getUint16(0) !== 0xffd8) return null;
  let at = 2;
  while (at + 9 < bytes.length) {
    if (bytes[at] !== 0xff) return null;
    const marker = bytes[at + 1];
    const isFrame = marker >= 0xc0 && marker <= 0xcf && marker !== 0xc4 && marker !== 0xc8 && marker !== 0xcc;
    if (isFrame) return { kind: 'jpeg', width: view.getUint16(at + 7), height: view.getUint16(at + 5) };
    at += 2 + view.getUint16(at + 2);
  }
  return null;
}

function fromPng(bytes: Uint8Array): Uint8Array {
  const png = decodePng(bytes);
  const { width, height, channels, depth } = png;
  const shift = depth === 16 ? 8 : 0;
  const count = width * height;
  const pixels = new Uint8Array(count * 4);
  const { palette } = png;
  if (!palette && depth === 8 && (channels === 3 || channels === 4)) {
    for (let p = 0, o = 0; o < pixels.length; p += channels, o += 4) {
      pixels[o] = png.data[p];
      pixels[o + 1] = png.data[p + 1];
      pixels[o + 2] = png.data[p + 2];
      pixels[o + 3] = channels === 4 ? png.data[p + 3] : 255;
    }
    return pixels;
  }
  for (let i = 0; i < count; i++) {
    const o = i * 4;
    if (palette) {
      const entry = palette[png.data[i]] ?? [0, 0, 0];
      pixels[o] = entry[0];
      pixels[o + 1] = entry[1];
      pixels[o + 2] = entry[2];
      pixels[o + 3] = entry[3] ?? 255;
      continue;
    }
    const p = i * channels;
    const grey = channels < 3;
    pixels[o] = png.data[p] >> shift;
    pixels[o + 1] = png.data[grey ? p : p + 1] >> shift;
    pixels[o + 2] = png.data[grey ? p : p + 2] >> shift;
    pixels[o + 3] = channels === 2 || channels === 4 ? png.data[p + channels - 1] >> shift : 255;
  }
  return pixels;
}

function fromJpeg(bytes: Uint8Array): Uint8Array {
  const { data } = jpeg.decode(bytes, {
    useTArray: true,
    formatAsRGBA: true,
    maxResolutionInMP: 70,
    maxMemoryUsageInMB: 1024,
  });
  return data;
}

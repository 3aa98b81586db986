/** Finished pictures to be compared: OpenEXR with layers, and PNG of 8 or 16 bit. */
import { byComponent, LIGHT_COMPONENTS } from '@daxel/core/light/components';
import { decode as decodePng } from 'fast-png';
import { BadFileError } from '@daxel/core/errors';
import { luminance, srgbToLinear } from '@daxel/core/math/color';
import type { MeasuredImage } from '@daxel/core/measure/imageError';
import type { LightLayers } from '@daxel/core/measure/stability/blame';
import { isExr, readExrHeader } from '../exr/exrHeader';
import { readExrLines } from '../exr/readExr';
import type { Inflate } from '../inflate';
import { readShutter, SHUTTER_ATTRIBUTE } from '../exr/shutterAttribute';
import { imageSize, MAX_IMAGE_SIDE } from './decodeImage';
import { whyNot } from '../whyNot';

/**
 * @param name named in errors
 * @param moving read the layers of an EXR too that its flicker is measured with: motion, objectId and those of its light
 * @returns an EXR's R, G, B as they are with its layer `error` when there is one; a PNG decoded from sRGB
 * @throws BadFileError when it is neither, damaged, or without colours
 */
export function readPicture(bytes: Uint8Array, name: string, inflate: Inflate, moving = false): MeasuredImage {
  if (isExr(bytes)) return fromExr(bytes, name, inflate, moving);
  const size = imageSize(bytes);
  if (size?.kind !== 'png')
    throw new BadFileError(name, 'it is neither a PNG nor an OpenEXR picture', 'Save it as one.');
  if (size.width < 1 || size.height < 1 || size.width > MAX_IMAGE_SIDE || size.height > MAX_IMAGE_SIDE)
    throw new BadFileError(name, `it is ${size.width}×${size.height} pixels`, `Use 1 to ${MAX_IMAGE_SIDE} a side.`);
  try {
    return fromPng(bytes, name);
  } catch (error) {
    throw new BadFileError(
      name,
      `the picture is damaged (${whyNot(error, 'its contents make no sense')})`,
      'Save it again.',
    );
  }
}

function fromExr(bytes: Uint8Array, name: string, inflate: Inflate, moving: boolean): MeasuredImage {
  const header = readExrHeader(bytes, name);
  const { width, height, channels } = header;
  if (width > MAX_IMAGE_SIDE || height > MAX_IMAGE_SIDE)
    throw new BadFileError(name, `it is ${width}×${height} pixels`, `Use at most ${MAX_IMAGE_SIDE} a side.`);
  const wanted = channels.map(() => false);
  /** Where a channel stands, -1 for nowhere; it is read then. */
  const place = (channel: string): number => {
    const at = channels.findIndex((c) => c.name === channel);
    if (at >= 0) wanted[at] = true;
    return at;
  };
  const colors = ['R', 'G', 'B'].map(place);
  const gray = place('Y');
  if (colors.some((p) => p < 0) && gray < 0)
    throw new BadFileError(name, 'it has no channels R, G and B', 'Save the beauty layer as R, G, B.');
  const error = place('error.Y');
  const rgb = new Float32Array(width * height * 3);
  const noise = error >= 0 ? new Float32Array(width * height) : undefined;
  const [right, down, object] = ['motion.X', 'motion.Y', 'objectId.Y'].map((c) => (moving ? place(c) : -1));
  const motion = right >= 0 && down >= 0 ? new Float32Array(width * height * 2) : undefined;
  const ids = object >= 0 ? new Float32Array(width * height) : undefined;
  const light = moving ? lightOf(place, width, height) : null;
  const sources = colors.map((p) => (p < 0 ? gray : p));
  readExrLines(bytes, name, header, inflate, wanted, (y, rows) => {
    const from = y * width;
    ids?.set(rows[object], from);
    noise?.set(rows[error], from);
    light?.row(rows, y);
    const [r, g, b] = sources.map((p) => rows[p]);
    for (let x = 0, to = from * 3; x < width; x++, to += 3) {
      rgb[to] = r[x];
      rgb[to + 1] = g[x];
      rgb[to + 2] = b[x];
    }
    if (!motion) return;
    const [across, along] = [rows[right], rows[down]];
    for (let x = 0, to = from * 2; x < width; x++, to += 2) {
      motion[to] = across[x];
      motion[to + 1] = along[x];
    }
  });
  const shutter = motion && readShutter(header.texts[SHUTTER_ATTRIBUTE]);
  return { name, width, height, rgb, tone: 'neutral', error: noise, motion, ids, light: light?.layers, shutter };
}

/** Takes up what the light is made of, row by row; null where a layer is missing. */
function lightOf(
  place: (channel: string) => number,
  width: number,
  height: number,
): { layers: LightLayers; row: (rows: Float32Array[], y: number) => void } | null {
  const from = (layer: string): number[] => ['R', 'G', 'B'].map((c) => place(`${layer}.${c}`));
  const shadow = place('shadow.Y');
  const places = LIGHT_COMPONENTS.map(from);
  if (shadow < 0 || places.flat().some((p) => p < 0)) return null;
  const plane = (): Float32Array => new Float32Array(width * height);
  const layers = byComponent(plane);
  const lit = plane();
  const parts = LIGHT_COMPONENTS.map((c, k) => ({ to: layers[c], from: places[k] }));
  return {
    layers: { layers, lit },
    row(rows, y) {
      lit.set(rows[shadow], y * width);
      for (const { to, from } of parts) {
        const [r, g, b] = from.map((p) => rows[p]);
        for (let x = 0; x < width; x++) to[y * width + x] = luminance(r[x], g[x], b[x]);
      }
    },
  };
}

function fromPng(bytes: Uint8Array, name: string): MeasuredImage {
  const { width, height, channels, depth, data, palette } = decodePng(bytes);
  const top = 2 ** depth - 1;
  const table = Float32Array.from({ length: depth === 16 ? 65536 : 256 }, (_, i) =>
    srgbToLinear(i / (palette ? 255 : top)),
  );
  const rgb = new Float32Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    const entry = palette?.[data[i]];
    for (let c = 0; c < 3; c++) rgb[i * 3 + c] = table[entry ? entry[c] : data[i * channels + (channels < 3 ? 0 : c)]];
  }
  return { name, width, height, rgb, tone: 'none' };
}

/** An equirectangular picture around the scene, turned about the vertical axis. */
import { z } from 'zod';
import { acos, atan2, cos, log2, sin } from '../../math/exact';
import type { EnvironmentPicture } from '../../scene/source';
import { directionField, radianceField } from '../documentFields';
import type { EnvironmentSource } from './document';
import { FILE_FLAGS, type BlurredRadiance, type RadianceFunction, type SurroundingsKind } from './kind';

export const pictureFields = {
  /** Name of the picture: 'scene' for the one that came with the file, else a stored file's hash. */
  picture: z
    .string()
    .regex(/^(scene|[0-9a-f]{64})$/)
    .optional(),
  /** File name of the picture, for the artist. */
  pictureName: z.string().max(200).optional(),
  /** A part of the picture that was split off as a sun: brighter light within the angle is cut to `level`. */
  cut: z
    .strictObject({ direction: directionField, radiusRad: z.number().positive().max(3.2), level: radianceField })
    .optional(),
};

export const picture = {
  kind: 'picture',
  label: 'Picture',
  file: z
    .object({ kind: z.literal('picture'), image: z.number().int().min(0), ...FILE_FLAGS })
    .transform(({ image, ...rest }) => ({ environment: { ...rest, picture: 'scene', stops: NO_STOPS }, image })),
  // none of our own scenes has one
  toFile: () => null,
  inRange: () => ({}),
  pictureName: (environment) => environment.picture ?? '',
  radiance(environment, source, factor) {
    if (!source) return (_x, _y, _z, out) => void out.fill(0, 0, 3);
    const { toPicture, shade } = pictureSpace(environment, factor);
    return (x, y, z, out) => {
      toPicture(x, y, z, place);
      readPicture(source, place[0], place[1], out);
      shade(x, y, z, out);
    };
  },
  blurred(environment, source, factor) {
    if (source) return blurredPicture(environment, pictureMips(source), factor);
    return { at: (_x, _y, _z, _lod, out) => void out.fill(0, 0, 3), pixelAngle: 1, harmonics: { lod: 0, side: 64 } };
  },
  gradient: () => null,
  cells: [256, 128],
  blend: () => null,
} satisfies SurroundingsKind;

const NO_STOPS: EnvironmentSource['stops'] = [{ y: 0, radiance: [0, 0, 0] }];
const place = new Float64Array(2);
const second = new Float64Array(3);

/** Where a direction lies in a turned picture (u, v in 0…1), and what strength and cut make of the light found there. */
function pictureSpace(
  environment: EnvironmentSource,
  factor: number,
): {
  toPicture: (x: number, y: number, z: number, out: Float64Array) => void;
  shade: RadianceFunction;
} {
  const angle = (environment.rotationDeg * Math.PI) / 180;
  const [ca, sa] = [cos(angle), sin(angle)];
  const { cut } = environment;
  const strength = environment.strength * factor;
  const cutCos = cut ? cos(cut.radiusRad) : 2;
  return {
    toPicture(x, y, z, out) {
      const px = x * ca - z * sa;
      const pz = z * ca + x * sa;
      out[0] = 0.5 + atan2(px, -pz) / (2 * Math.PI);
      out[1] = acos(y < -1 ? -1 : y > 1 ? 1 : y) / Math.PI;
    },
    shade(x, y, z, out) {
      if (cut) {
        const px = x * ca - z * sa;
        const pz = z * ca + x * sa;
        const inside = px * cut.direction[0] + y * cut.direction[1] + pz * cut.direction[2] >= cutCos;
        if (inside) for (let c = 0; c < 3; c++) if (out[c] > cut.level[c]) out[c] = cut.level[c];
      }
      for (let c = 0; c < 3; c++) out[c] *= strength;
    },
  };
}

/** Bilinear look-up; wraps around sideways and holds at the poles. */
function readPicture(picture: EnvironmentPicture, u: number, v: number, out: Float64Array): void {
  const { width, height, rgb } = picture;
  const x = u * width - 0.5;
  const y = Math.min(height - 1, Math.max(0, v * height - 0.5));
  const xf = Math.floor(x);
  const x0 = ((xf % width) + width) % width;
  const x1 = x0 + 1 === width ? 0 : x0 + 1;
  const y0 = Math.min(height - 1, Math.floor(y));
  const y1 = Math.min(height - 1, y0 + 1);
  const fx = x - xf;
  const fy = y - y0;
  const [a, b, c, d] = [(y0 * width + x0) * 3, (y0 * width + x1) * 3, (y1 * width + x0) * 3, (y1 * width + x1) * 3];
  for (let k = 0; k < 3; k++) {
    const top = rgb[a + k] + (rgb[b + k] - rgb[a + k]) * fx;
    const bottom = rgb[c + k] + (rgb[d + k] - rgb[c + k]) * fx;
    out[k] = top + (bottom - top) * fy;
  }
}

function blurredPicture(environment: EnvironmentSource, mips: EnvironmentPicture[], factor: number): BlurredRadiance {
  const { toPicture, shade } = pictureSpace(environment, factor);
  const [{ width, height }] = mips;
  return {
    // of one pixel of the full picture
    pixelAngle: (2 * Math.PI * Math.PI) / (width * height),
    // about 128 × 64 pixels: coarser than any second-order harmonic could tell from the full picture
    harmonics: { lod: Math.max(0, log2(width / 128)), side: 128 },
    at(x, y, z, lod, out) {
      toPicture(x, y, z, place);
      const level = Math.min(mips.length - 1, lod);
      const l0 = Math.floor(level);
      readPicture(mips[l0], place[0], place[1], out);
      if (level > l0) {
        readPicture(mips[l0 + 1], place[0], place[1], second);
        for (let c = 0; c < 3; c++) out[c] += (second[c] - out[c]) * (level - l0);
      }
      shade(x, y, z, out);
    },
  };
}

/** The picture and its halves down to four pixels across, weighted by what each row spans of the sphere. */
export function pictureMips(picture: EnvironmentPicture): EnvironmentPicture[] {
  const mips = [picture];
  for (let last = picture; last.width >= 8 && last.height >= 4;) {
    const [w, h] = [last.width >> 1, last.height >> 1];
    const next: EnvironmentPicture = { width: w, height: h, rgb: new Float32Array(w * h * 3) };
    for (let y = 0; y < h; y++) {
      const upper = sin(((2 * y + 0.5) / last.height) * Math.PI);
      const lower = sin(((2 * y + 1.5) / last.height) * Math.PI);
      const k = 0.5 / (upper + lower);
      for (let x = 0; x < w; x++) {
        const a = (2 * y * last.width + 2 * x) * 3;
        const b = a + last.width * 3;
        for (let c = 0; c < 3; c++)
          next.rgb[(y * w + x) * 3 + c] =
            ((last.rgb[a + c] + last.rgb[a + 3 + c]) * upper + (last.rgb[b + c] + last.rgb[b + 3 + c]) * lower) * k;
      }
    }
    mips.push(next);
    last = next;
  }
  return mips;
}

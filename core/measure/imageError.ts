/** How far a picture is from a reference, in the measures that people quote. */
import { BadInputError } from '../errors';
import { neutralTone, type ToneCurve } from '../film/tone';
import { log, log2 } from '../math/exact';
import { linearToSrgb, luminance } from '../math/color';
import { flipMap, PIXELS_PER_DEGREE } from './flip';
import type { Rect } from './rect';
import type { LightLayers } from './stability/blame';
import { ssimMap } from './ssim';

export interface MeasuredImage {
  name: string;
  width: number;
  height: number;
  /** rgb per pixel: scene-linear, 1 is display white; of a display picture, its decoded codes. */
  rgb: Float32Array;
  /** Curve by which it is shown; 'none' for a display picture. */
  tone: ToneCurve;
  /** Its `displayLuminance`, where that is known already. */
  shown?: Float32Array;
  /** Standard error of the luminance per pixel, when the renderer knows it. */
  error?: Float32Array;
  /** Pixels right and down to the next frame, two a pixel; read when asked for and there. */
  motion?: Float32Array;
  /** Number of the object at each pixel; read when asked for and there. */
  ids?: ArrayLike<number>;
  /** What its light is made of; read when asked for and there. */
  light?: LightLayers;
  /** Instants of the open shutter, and the share of the time between frames for which it was open; where that is known. */
  shutter?: { instants: number; open: number };
}

/** What a picture holds that can be handed to another thread without copying. */
export function imageBuffers({ rgb, shown, error, motion, ids, light }: MeasuredImage): ArrayBuffer[] {
  const planes = [rgb, shown, error, motion, ids, light?.lit, ...Object.values(light?.layers ?? {})];
  return planes.filter((p) => ArrayBuffer.isView(p)).map((p) => p.buffer as ArrayBuffer);
}

export interface ErrorFigures {
  /** Of linear rgb. */
  rmse: number;
  /** Squared error over squared reference plus a hundredth, as a mean. */
  relMse: number;
  /** Decibel, on display codes; Infinity for no difference at all. */
  psnr: number;
  ssim: number;
  flip: number;
  /** Mean luminance against the reference's, in stops. */
  meanStops: number;
  /** RMSE that the reference's own noise alone would give; 0 when it is not known. */
  floor: number;
}

/** Everything that is measured once for a pair, whatever the rectangle. */
export interface PairMaps {
  width: number;
  height: number;
  flip: Float32Array;
  ssim: Float32Array;
  /** Squared error of display codes, mean of three. */
  codes: Float32Array;
}

/** @throws BadInputError when the two cannot be compared, naming both */
export function checkPair(image: MeasuredImage, reference: MeasuredImage): void {
  if (image.width !== reference.width || image.height !== reference.height)
    throw new BadInputError(
      `${image.name} is ${image.width}×${image.height} and ${reference.name} is ${reference.width}×${reference.height}: render both at one size.`,
    );
  for (const one of [image, reference]) {
    const at = one.rgb.findIndex((v) => !Number.isFinite(v));
    if (at < 0) continue;
    const p = Math.floor(at / 3);
    throw new BadInputError(
      `${one.name}: the pixel at ${p % one.width}, ${Math.floor(p / one.width)} is not a number. Render it again.`,
    );
  }
}

/** The display-linear picture, 0…1. */
export function displayLight(image: MeasuredImage): Float32Array {
  const out = new Float32Array(image.rgb.length);
  const rgb = new Float64Array(3);
  for (let i = 0; i < out.length; i += 3) {
    showPixel(image, i, rgb);
    out[i] = rgb[0];
    out[i + 1] = rgb[1];
    out[i + 2] = rgb[2];
  }
  return out;
}

/** Luminance of that, one a pixel. */
export function displayLuminance(image: MeasuredImage): Float32Array {
  const out = new Float32Array(image.rgb.length / 3);
  const rgb = new Float64Array(3);
  for (let i = 0; i < out.length; i++) {
    showPixel(image, i * 3, rgb);
    out[i] = luminance(Math.fround(rgb[0]), Math.fround(rgb[1]), Math.fround(rgb[2]));
  }
  return out;
}

/** The display-linear colour of the pixel whose red stands at `i`. */
function showPixel({ rgb, tone }: MeasuredImage, i: number, out: Float64Array): void {
  out[0] = rgb[i];
  out[1] = rgb[i + 1];
  out[2] = rgb[i + 2];
  if (tone === 'neutral') neutralTone(out);
  for (let c = 0; c < 3; c++) out[c] = Math.min(1, Math.max(0, out[c]));
}

export function pairMaps(
  image: MeasuredImage,
  reference: MeasuredImage,
  pixelsPerDegree = PIXELS_PER_DEGREE,
): PairMaps {
  const { width, height } = reference;
  const [a, b] = [displayLight(image), displayLight(reference)];
  const pixels = width * height;
  const codes = new Float32Array(pixels);
  const [lumaA, lumaB] = [new Float32Array(pixels), new Float32Array(pixels)];
  const [p, q] = [new Float64Array(3), new Float64Array(3)];
  for (let i = 0; i < pixels; i++) {
    let sum = 0;
    for (let c = 0; c < 3; c++) {
      p[c] = linearToSrgb(a[i * 3 + c]);
      q[c] = linearToSrgb(b[i * 3 + c]);
      sum += (p[c] - q[c]) ** 2;
    }
    codes[i] = sum / 3;
    lumaA[i] = luminance(p[0], p[1], p[2]);
    lumaB[i] = luminance(q[0], q[1], q[2]);
  }
  return {
    width,
    height,
    flip: flipMap(a, b, width, height, pixelsPerDegree),
    ssim: ssimMap(lumaA, lumaB, width, height),
    codes,
  };
}

/** Figures over a rectangle in pixels, or the whole picture. */
export function errorFigures(
  image: MeasuredImage,
  reference: MeasuredImage,
  maps: PairMaps,
  rect: Rect = { x: 0, y: 0, width: maps.width, height: maps.height },
): ErrorFigures {
  let [square, relative, codes, ssim, flip, mine, theirs, noise, n] = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  const right = Math.min(maps.width, rect.x + rect.width);
  const bottom = Math.min(maps.height, rect.y + rect.height);
  for (let y = Math.max(0, rect.y); y < bottom; y++) {
    for (let x = Math.max(0, rect.x); x < right; x++) {
      const i = y * maps.width + x;
      for (let c = 0; c < 3; c++) {
        const [v, r] = [image.rgb[i * 3 + c], reference.rgb[i * 3 + c]];
        square += (v - r) ** 2;
        relative += (v - r) ** 2 / (r * r + 0.01);
      }
      codes += maps.codes[i];
      ssim += maps.ssim[i];
      flip += maps.flip[i];
      mine += luminance(image.rgb[i * 3], image.rgb[i * 3 + 1], image.rgb[i * 3 + 2]);
      theirs += luminance(reference.rgb[i * 3], reference.rgb[i * 3 + 1], reference.rgb[i * 3 + 2]);
      noise += (reference.error?.[i] ?? 0) ** 2;
      n++;
    }
  }
  if (n === 0) throw new BadInputError('The rectangle lies outside the picture.');
  return {
    rmse: Math.sqrt(square / (n * 3)),
    relMse: relative / (n * 3),
    psnr: codes > 0 ? (-10 / Math.LN10) * log(codes / n) : Infinity,
    ssim: ssim / n,
    flip: flip / n,
    meanStops: mine > 0 && theirs > 0 ? log2(mine / theirs) : 0,
    floor: Math.sqrt(noise / n),
  };
}

/** All of it for one pair. */
export function measureError(image: MeasuredImage, reference: MeasuredImage): ErrorFigures {
  checkPair(image, reference);
  return errorFigures(image, reference, pairMaps(image, reference));
}

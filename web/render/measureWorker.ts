/** Entry of the thread that keeps the pictures of Compare: decodes, shows, differs and measures them. */
import { displayCode, type ToneCurve } from '@daxel/core/film/tone';
import {
  checkPair,
  displayLight,
  errorFigures,
  pairMaps,
  type ErrorFigures,
  type MeasuredImage,
  type PairMaps,
} from '@daxel/core/measure/imageError';
import { differenceInWords, placeLight } from '@daxel/core/measure/lightDifference';
import { partLevel, placePart, type PartLevel, type PlacePart } from '@daxel/core/measure/partLevel';
import type { Rect } from '@daxel/core/measure/rect';
import { displayCodes, readPictureFile } from './pictureFile';

/** What bounced light of a place differs by: null where there is none to speak of, `unknown` where a picture does not say. */
export type BounceFigures = PartLevel | 'unknown' | null;
/** Figures of a place, and what they come to in words. */
export type PlaceFigures = ErrorFigures & { says: string; bounce: BounceFigures };
/** How a difference is shown. */
export interface DifferenceView {
  kind: 'signed' | 'absolute' | 'flip';
  gain: number;
}
export type ToMeasure =
  | { type: 'image'; image: MeasuredImage }
  | { type: 'bytes'; bytes: Uint8Array; name: string; tone?: ToneCurve }
  | { type: 'figures'; key: string; reference: string; rects: Rect[] }
  | { type: 'difference'; key: string; reference: string; view: DifferenceView }
  | { type: 'pixel'; x: number; y: number }
  | { type: 'bounce'; key: string; rect: Rect }
  | { type: 'small'; key: string; width: number; height: number }
  | { type: 'forget'; key: string };
export interface Shown {
  width: number;
  height: number;
  codes: Uint8ClampedArray<ArrayBuffer>;
  /** The renderer said how noisy it is. */
  knowsNoise: boolean;
}
export type FromMeasure =
  Shown | PlaceFigures[] | Record<string, number[]> | Uint8ClampedArray<ArrayBuffer> | Float32Array | PlacePart | null;

const images = new Map<string, MeasuredImage>();
const pairs = new Map<string, PairMaps>();

addEventListener('message', (e: MessageEvent<{ ticket: number; key: string; request: ToMeasure }>) => {
  const { ticket, key, request } = e.data;
  try {
    postMessage({ ticket, answer: answer(key, request) });
  } catch (error) {
    postMessage({ ticket, failure: (error as Error).message });
  }
});

function answer(key: string, request: ToMeasure): FromMeasure {
  switch (request.type) {
    case 'image':
      return keep(key, request.image);
    case 'bytes': {
      const image = readPictureFile(request.bytes, request.name, true);
      return keep(key, request.tone && image.tone !== 'none' ? { ...image, tone: request.tone } : image);
    }
    case 'figures': {
      const [image, reference, maps] = pair(request.key, request.reference);
      return request.rects.map((rect) => {
        const figures = errorFigures(image, reference, maps, rect);
        const says = differenceInWords(placeLight(image, rect), placeLight(reference, rect), figures);
        return { ...figures, says, bounce: bounceFigures(image, reference, rect) };
      });
    }
    case 'difference':
      return difference(...pair(request.key, request.reference), request.view);
    case 'pixel':
      return Object.fromEntries(
        [...images].map(([name, { rgb, width, height }]) => {
          const at = (request.y * width + request.x) * 3;
          return [name, request.x < width && request.y < height ? [...rgb.subarray(at, at + 3)] : []];
        }),
      );
    case 'bounce':
      return placePart(images.get(request.key)!, request.rect, 'bounce');
    case 'small':
      return reduced(images.get(request.key)!, request.width, request.height);
    case 'forget':
      images.delete(request.key);
      forgetPairs(request.key);
      return null;
  }
}

function keep(key: string, image: MeasuredImage): Shown {
  images.set(key, image);
  forgetPairs(key);
  const { width, height } = image;
  return { width, height, codes: displayCodes(image), knowsNoise: image.error !== undefined };
}

function forgetPairs(key: string): void {
  for (const name of pairs.keys()) if (name.split('\n').includes(key)) pairs.delete(name);
}

function pair(key: string, reference: string): [MeasuredImage, MeasuredImage, PairMaps] {
  const [a, b] = [images.get(key), images.get(reference)];
  if (!a || !b) throw new Error('This picture is not there any more.');
  checkPair(a, b);
  const name = `${key}\n${reference}`;
  let maps = pairs.get(name);
  if (!maps) {
    maps = pairMaps(a, b);
    pairs.set(name, maps);
  }
  return [a, b, maps];
}

function bounceFigures(image: MeasuredImage, reference: MeasuredImage, rect: Rect): BounceFigures {
  const [mine, theirs] = [image, reference].map((i) => placePart(i, rect, 'bounce'));
  return mine && theirs ? partLevel(mine, theirs) : 'unknown';
}

/** Grey where there is none; brighter and darker, or dark and glowing. */
function difference(
  a: MeasuredImage,
  b: MeasuredImage,
  maps: PairMaps,
  view: DifferenceView,
): Uint8ClampedArray<ArrayBuffer> {
  const [p, q] = [displayLight(a), displayLight(b)];
  const codes = new Uint8ClampedArray(a.width * a.height * 4);
  for (let i = 0; i < a.width * a.height; i++) {
    for (let c = 0; c < 3; c++) {
      const d = (displayCode(p[i * 3 + c]) - displayCode(q[i * 3 + c])) * view.gain;
      codes[i * 4 + c] =
        view.kind === 'flip' ? maps.flip[i] * view.gain * 255 : view.kind === 'signed' ? 128 + d / 2 : Math.abs(d);
    }
    codes[i * 4 + 3] = 255;
  }
  return codes;
}

/** Mean of the pixels under each pixel of a smaller picture. */
function reduced({ rgb, width, height }: MeasuredImage, w: number, h: number): Float32Array {
  const sums = new Float32Array(w * h * 3);
  const counts = new Uint32Array(w * h);
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const to = Math.floor((y * h) / height) * w + Math.floor((x * w) / width);
      counts[to]++;
      for (let c = 0; c < 3; c++) sums[to * 3 + c] += rgb[(y * width + x) * 3 + c];
    }
  }
  for (let i = 0; i < sums.length; i++) sums[i] /= counts[Math.floor(i / 3)] || 1;
  return sums;
}

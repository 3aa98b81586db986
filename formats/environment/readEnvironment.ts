/** Environment pictures from `.hdr` and `.exr` files: checked, repaired where that loses nothing, reduced when asked. */
import { BadFileError, DaxelError } from '@daxel/core/errors';
import type { EnvironmentPicture } from '@daxel/core/scene/source';
import { isExr, readExrHeader, type ExrHeader } from '../exr/exrHeader';
import { readExrLines } from '../exr/readExr';
import type { Inflate } from '../inflate';
import { readHdr, readHdrHeader } from './readHdr';

/** Wider pictures are read only at a smaller size, and only when that was agreed to. */
export const LARGEST_WIDTH = 4096;

export interface ReadEnvironment {
  picture: EnvironmentPicture;
  /** What was repaired, a sentence each. */
  notes: string[];
}

/** A picture that is too wide as it is. `message` states the memory and what is offered. */
export class TooWideError extends DaxelError {
  constructor(
    name: string,
    width: number,
    height: number,
    readonly offered: number,
  ) {
    const bytes = (w: number, h: number): string => `${Math.round((w * h * 12) / 1e6)} MB`;
    super(
      'too-wide',
      `${name}: ${width}×${height} pixels would take ${bytes(width, height)} of memory. ` +
        `It can be brought in at ${offered}×${offered / 2} (${bytes(offered, offered / 2)}).`,
    );
  }
}

/**
 * @param name named in errors
 * @param width wanted; larger pictures are reduced by a whole factor to at most this
 * @throws BadFileError when it is no such picture, not twice as wide as high, or damaged; TooWideError
 */
export function readEnvironment(bytes: Uint8Array, name: string, inflate: Inflate, width?: number): ReadEnvironment {
  const hdr = readHdrHeader(bytes, name);
  const exr = !hdr && isExr(bytes) ? readExrHeader(bytes, name) : null;
  const size = hdr ?? exr;
  if (!size)
    throw new BadFileError(name, 'it is neither a Radiance (.hdr) nor an OpenEXR picture', 'Save it as .hdr or .exr.');
  checkSize(size.width, size.height, name);
  const factor = reduction(size.width, size.height, name, width);
  const picture = hdr ? readHdr(bytes, name, hdr, factor) : readExr(bytes, name, exr!, factor, inflate);
  return { picture, notes: repair(picture) };
}

function checkSize(width: number, height: number, name: string): void {
  if (width !== height * 2)
    throw new BadFileError(
      name,
      `it is ${width}×${height} pixels; a picture of all directions is twice as wide as high`,
      'Save it as an equirectangular panorama of 2:1.',
    );
  if (width < 16) throw new BadFileError(name, `it is only ${width}×${height} pixels`, 'Use one of at least 16×8.');
}

function reduction(width: number, height: number, name: string, wanted: number | undefined): number {
  const limit = Math.min(wanted ?? LARGEST_WIDTH, LARGEST_WIDTH);
  if (width <= limit) return 1;
  let factor = Math.ceil(width / limit);
  // whole rows and columns are kept by a factor that divides both; one more pixel of blur loses less than a seam
  while (factor < width && (width % factor !== 0 || height % factor !== 0)) factor++;
  if (width > LARGEST_WIDTH && wanted === undefined) throw new TooWideError(name, width, height, width / factor);
  return factor;
}

function readExr(
  bytes: Uint8Array,
  name: string,
  header: ExrHeader,
  factor: number,
  inflate: Inflate,
): EnvironmentPicture {
  const [w, h] = [Math.floor(header.width / factor), Math.floor(header.height / factor)];
  const rgb = new Float32Array(w * h * 3);
  const weight = 1 / (factor * factor);
  const names = header.channels.map((c) => c.name);
  const grey = names.includes('Y') ? 'Y' : names[0];
  const places = ['R', 'G', 'B'].map((c) => names.indexOf(names.includes(c) ? c : grey));
  const wanted = names.map((_, c) => places.includes(c));
  readExrLines(bytes, name, header, inflate, wanted, (y, channels) => {
    const row = Math.floor(y / factor);
    if (row >= h) return;
    for (let x = 0; x < w * factor; x++) {
      const to = (row * w + Math.floor(x / factor)) * 3;
      for (let c = 0; c < 3; c++) rgb[to + c] += channels[places[c]][x] * weight;
    }
  });
  return { width: w, height: h, rgb };
}

/** Light is neither negative nor infinite. @returns what was changed */
function repair({ rgb }: EnvironmentPicture): string[] {
  let highest = 0;
  for (const v of rgb) if (v > highest && v < LARGEST_VALUE) highest = v;
  let [below, beyond] = [0, 0];
  for (let i = 0; i < rgb.length; i++) {
    const v = rgb[i];
    if (v >= 0 && v < LARGEST_VALUE) continue;
    if (v < 0) {
      rgb[i] = 0;
      below++;
    } else {
      rgb[i] = v === v ? highest : 0;
      beyond++;
    }
  }
  const notes: string[] = [];
  if (below > 0) notes.push(`${below} negative values of the picture were set to zero.`);
  if (beyond > 0)
    notes.push(`${beyond} values that are infinite or no numbers were set to its brightest finite one, or to zero.`);
  return notes;
}

/** Brighter values would not survive sums of 32-bit floats. */
const LARGEST_VALUE = 1e9;

/**
 * What an OpenEXR file says of itself: size, channels, compression, tiles, and which of several parts holds the picture.
 * Layout after "OpenEXR File Layout", openexr.com technical documentation.
 */
import { BadFileError } from '@daxel/core/errors';

export const [UINT, HALF, FLOAT] = [0, 1, 2];

export interface ExrFileChannel {
  name: string;
  /** UINT, HALF or FLOAT. */
  type: number;
  /** The file holds its numbers as the eye sees them, where it loses some of them. */
  perceptual: boolean;
}

export interface ExrHeader {
  width: number;
  height: number;
  /** In the order of the file: by name. */
  channels: ExrFileChannel[];
  compression: number;
  /** Short text attributes by name. */
  texts: Record<string, string>;
  firstLine: number;
  /** Null for scan lines. */
  tile: { width: number; height: number } | null;
  /** Of several, or −1 where the file knows no parts: its blocks do not say which they belong to then. */
  part: number;
  /** Where the table of block offsets begins. */
  table: number;
}

const MAGIC = 0x01312f76;
const [TILED, DEEP, PARTS] = [2, 8, 16];
/** The last of them is DWAB. */
const LAST_COMPRESSION = 9;
/** A side longer than this is no picture but a damaged header. */
const LARGEST_SIDE = 65536;
/** Longer text attributes are passed over, bytes. */
const LONGEST_TEXT = 255;
const MOST_PARTS = 1024;

interface Part extends Partial<ExrHeader> {
  channels: ExrFileChannel[];
  texts: Record<string, string>;
  /** Blocks of all levels. */
  blocks?: number;
  /** A channel with fewer pixels than the picture. */
  thinned?: string;
}

export function isExr(bytes: Uint8Array): boolean {
  return bytes.length > 8 && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === MAGIC;
}

/**
 * Of several parts the first that has R, G and B, else Y, else the first that is a flat picture.
 * @throws BadFileError naming what is missing, unknown or not supported
 */
export function readExrHeader(bytes: Uint8Array, name: string): ExrHeader {
  const damaged = (what: string): BadFileError => new BadFileError(name, what, 'Save the picture again as .exr.');
  const other = (what: string): BadFileError =>
    new BadFileError(name, what, 'Save it as a flat picture with all channels at full size.');
  if (!isExr(bytes)) throw damaged('it is no OpenEXR file');
  if (bytes[4] !== 2) throw other(`it is written in version ${bytes[4]} of the format`);
  const several = (bytes[5] & PARTS) !== 0;
  const { parts, end } = several ? severalParts(bytes, damaged) : onePart(bytes, damaged);
  const flat = parts.filter((p) => isFlat(p, bytes[5]));
  if (flat.length === 0) throw other('it holds deep pixels');
  const has = (p: Part, wanted: string): boolean => p.channels.some((c) => c.name === wanted);
  const chosen = flat.find((p) => ['R', 'G', 'B'].every((c) => has(p, c))) ?? flat.find((p) => has(p, 'Y')) ?? flat[0];
  const part = parts.indexOf(chosen);
  let table = end;
  for (const before of parts.slice(0, part)) {
    if (before.blocks === undefined) throw damaged('one of its parts does not say how many blocks it has');
    table += before.blocks * 8;
  }
  const tiled = several ? chosen.texts.type === 'tiledimage' : (bytes[5] & TILED) !== 0;
  if (tiled && !chosen.tile) throw damaged('it does not say how large its tiles are');
  const { width, height, compression, firstLine, channels, texts, thinned } = chosen;
  if (width === undefined || height === undefined || firstLine === undefined || compression === undefined)
    throw damaged('its header lacks its size');
  if (!(width > 0 && height > 0 && width <= LARGEST_SIDE && height <= LARGEST_SIDE))
    throw damaged(`it claims ${width}×${height} pixels`);
  if (channels.length === 0 || channels.some((c) => ![UINT, HALF, FLOAT].includes(c.type)))
    throw damaged('its channels are missing or of an unknown type');
  if (thinned !== undefined) throw other(`its channel ${thinned} has fewer pixels than the others`);
  if (compression > LAST_COMPRESSION) throw other('it is compressed by an unknown method');
  const tile = tiled ? chosen.tile! : null;
  return { width, height, channels, compression, texts, firstLine, tile, part: several ? part : -1, table };
}

function isFlat(part: Part, flags: number): boolean {
  const { type } = part.texts;
  return type === undefined ? (flags & DEEP) === 0 : type === 'scanlineimage' || type === 'tiledimage';
}

type Damaged = (what: string) => BadFileError;

function onePart(bytes: Uint8Array, damaged: Damaged): { parts: Part[]; end: number } {
  const { part, end } = readPart(bytes, 8, damaged);
  return { parts: [part], end };
}

/** The headers stand one behind the other; an empty one ends them. */
function severalParts(bytes: Uint8Array, damaged: Damaged): { parts: Part[]; end: number } {
  const parts: Part[] = [];
  let at = 8;
  while (at < bytes.length && bytes[at] !== 0) {
    if (parts.length >= MOST_PARTS) throw damaged('it has too many parts');
    const { part, end } = readPart(bytes, at, damaged);
    parts.push(part);
    at = end;
  }
  if (parts.length === 0 || at >= bytes.length) throw damaged('its header is damaged');
  return { parts, end: at + 1 };
}

function readPart(bytes: Uint8Array, start: number, damaged: Damaged): { part: Part; end: number } {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const part: Part = { channels: [], texts: {} };
  let at = start;
  const text = (): string => {
    const from = at;
    while (at < bytes.length && bytes[at] !== 0) at++;
    if (at >= bytes.length || at - from > LONGEST_TEXT) throw damaged('its header is damaged');
    return new TextDecoder('latin1').decode(bytes.subarray(from, at++));
  };
  while (at < bytes.length && bytes[at] !== 0) {
    const attribute = text();
    const kind = text();
    const length = at + 4 <= bytes.length ? view.getInt32(at, true) : -1;
    at += 4;
    if (length < 0 || at + length > bytes.length) throw damaged(`its attribute "${attribute}" is cut short`);
    const end = at + length;
    const number = (k: number): number => view.getInt32(at + k * 4, true);
    if (kind === 'string' && length <= LONGEST_TEXT)
      part.texts[attribute] = new TextDecoder().decode(bytes.subarray(at, end));
    if (attribute === 'compression' && length >= 1) part.compression = bytes[at];
    if (attribute === 'chunkCount' && length === 4 && number(0) >= 0) part.blocks = number(0);
    if (attribute === 'dataWindow' && length === 16) {
      part.width = number(2) - number(0) + 1;
      part.height = number(3) - number(1) + 1;
      part.firstLine = number(1);
    }
    if (attribute === 'tiles' && length === 9) {
      part.tile = { width: number(0), height: number(1) };
      if (!(number(0) > 0 && number(1) > 0 && number(0) <= LARGEST_SIDE && number(1) <= LARGEST_SIDE))
        throw damaged(`it claims tiles of ${number(0)}×${number(1)} pixels`);
    }
    if (attribute === 'channels') {
      while (at < end - 1 && bytes[at] !== 0) {
        const channel = text();
        if (at + 16 > end) throw damaged('its list of channels is cut short');
        if (number(2) !== 1 || number(3) !== 1) part.thinned = channel;
        part.channels.push({ name: channel, type: number(0), perceptual: bytes[at + 4] !== 0 });
        at += 16;
      }
    }
    at = end;
  }
  return { part, end: at + 1 };
}

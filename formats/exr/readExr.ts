/**
 * OpenEXR files in: one part of scan lines, uncompressed, RLE, ZIPS or ZIP; half, float or whole-number channels.
 * Layout after "OpenEXR File Layout", openexr.com technical documentation. Lines are handed out as they are unpacked, so
 * that a reader who reduces them never holds the whole picture.
 */
import { BadFileError } from '@daxel/core/errors';
import { halfTable } from './half';
import { restoreBytes } from './restoreBytes';

export interface ExrHeader {
  width: number;
  height: number;
  /** In the order of the file: by name. */
  channels: { name: string; type: number }[];
  compression: number;
  /** Short text attributes by name. */
  texts: Record<string, string>;
  firstLine: number;
  /** Where the table of block offsets begins. */
  table: number;
}

const MAGIC = 0x01312f76;
const [NONE, RLE, ZIP] = [0, 1, 3];
const LINES = [1, 1, 1, 16];
const [UINT, HALF, FLOAT] = [0, 1, 2];
const OTHERS: Record<number, string> = { 4: 'PIZ', 5: 'PXR24', 6: 'B44', 7: 'B44A', 8: 'DWAA', 9: 'DWAB' };
/** A side longer than this is no picture but a damaged header. */
const LARGEST_SIDE = 65536;
/** Longer text attributes are passed over, bytes. */
const LONGEST_TEXT = 255;

export function isExr(bytes: Uint8Array): boolean {
  return bytes.length > 8 && new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true) === MAGIC;
}

/** @throws BadFileError naming what is missing, unknown or not supported */
export function readExrHeader(bytes: Uint8Array, name: string): ExrHeader {
  const damaged = (what: string): BadFileError => new BadFileError(name, what, 'Save the picture again as .exr.');
  const other = (what: string): BadFileError =>
    new BadFileError(name, what, 'Save it as one part of scan lines with ZIP compression.');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  if (!isExr(bytes)) throw damaged('it is no OpenEXR file');
  if ((bytes[5] & 0b11010) !== 0 || (bytes[4] & 0xff) !== 2)
    throw other('it holds tiles, several parts or deep pixels');
  const texts: Record<string, string> = {};
  const header: Partial<ExrHeader> = { channels: [], texts };
  let at = 8;
  const text = (): string => {
    const from = at;
    while (at < bytes.length && bytes[at] !== 0) at++;
    if (at >= bytes.length || at - from > 255) throw damaged('its header is damaged');
    return new TextDecoder('latin1').decode(bytes.subarray(from, at++));
  };
  while (at < bytes.length && bytes[at] !== 0) {
    const attribute = text();
    const kind = text();
    const length = at + 4 <= bytes.length ? view.getInt32(at, true) : -1;
    at += 4;
    if (length < 0 || at + length > bytes.length) throw damaged(`its attribute "${attribute}" is cut short`);
    const end = at + length;
    if (kind === 'string' && length <= LONGEST_TEXT)
      texts[attribute] = new TextDecoder().decode(bytes.subarray(at, end));
    if (attribute === 'compression' && length >= 1) header.compression = bytes[at];
    if (attribute === 'dataWindow' && length === 16) {
      const [x0, y0, x1, y1] = [0, 4, 8, 12].map((k) => view.getInt32(at + k, true));
      header.width = x1 - x0 + 1;
      header.height = y1 - y0 + 1;
      header.firstLine = y0;
    }
    if (attribute === 'channels') {
      while (at < end - 1 && bytes[at] !== 0) {
        const channel = text();
        if (at + 16 > end) throw damaged('its list of channels is cut short');
        if (view.getInt32(at + 8, true) !== 1 || view.getInt32(at + 12, true) !== 1)
          throw other(`its channel ${channel} has fewer pixels than the others`);
        header.channels!.push({ name: channel, type: view.getInt32(at, true) });
        at += 16;
      }
    }
    at = end;
  }
  header.table = at + 1;
  const { width, height, compression, channels } = header;
  if (width === undefined || height === undefined || compression === undefined)
    throw damaged('its header lacks its size');
  if (!(width > 0 && height > 0 && width <= LARGEST_SIDE && height <= LARGEST_SIDE))
    throw damaged(`it claims ${width}×${height} pixels`);
  if (channels!.length === 0 || channels!.some((c) => ![UINT, HALF, FLOAT].includes(c.type)))
    throw damaged('its channels are missing or of an unknown type');
  if (compression > ZIP)
    throw other(`it is compressed by ${OTHERS[compression] ?? 'an unknown method'}, which is not read`);
  return header as ExrHeader;
}

/**
 * Unpacks line by line.
 * @param inflate zlib-format; must not give more than `limit` bytes
 * @param wanted by channel, in the order of the header: those of which no number is asked for are passed over
 * @param onLine called from the top with one array of numbers a channel, empty for those passed over; they are reused
 * @throws BadFileError naming the line where the data is damaged
 */
export function readExrLines(
  bytes: Uint8Array,
  name: string,
  header: ExrHeader,
  inflate: (bytes: Uint8Array, limit: number) => Uint8Array,
  wanted: readonly boolean[],
  onLine: (y: number, channels: Float32Array[]) => void,
): void {
  const { width, height, channels, compression } = header;
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const sizes = channels.map((c) => (c.type === HALF ? 2 : 4) * width);
  const lineBytes = sizes.reduce((sum, s) => sum + s, 0);
  const rows = channels.map((_, c) => new Float32Array(wanted[c] ? width : 0));
  const linesPerBlock = LINES[compression];
  const blocks = Math.ceil(height / linesPerBlock);
  const damaged = (y: number): BadFileError =>
    new BadFileError(name, `its data is cut short or damaged at line ${y + 1} of ${height}`, 'Copy or save it again.');
  for (let b = 0; b < blocks; b++) {
    const y0 = b * linesPerBlock;
    const lines = Math.min(linesPerBlock, height - y0);
    const entry = header.table + b * 8;
    const at = entry + 8 <= bytes.length ? Number(view.getBigUint64(entry, true)) : -1;
    if (at < 0 || at + 8 > bytes.length || view.getInt32(at, true) !== header.firstLine + y0) throw damaged(y0);
    const size = view.getInt32(at + 4, true);
    if (size < 0 || at + 8 + size > bytes.length) throw damaged(y0);
    const raw = unpack(bytes.subarray(at + 8, at + 8 + size), compression, lineBytes * lines, inflate);
    if (!raw) throw damaged(y0);
    let p = 0;
    for (let y = y0; y < y0 + lines; y++) {
      for (let c = 0; c < channels.length; c++) {
        if (wanted[c]) readRow(raw.subarray(p, p + sizes[c]), channels[c].type, rows[c]);
        p += sizes[c];
      }
      onLine(y, rows);
    }
  }
}

/** Numbers of a channel in one line; typed arrays have the file's order of bytes wherever this runs. */
function readRow(bytes: Uint8Array, type: number, out: Float32Array): void {
  // only what lies at a multiple of its size can be looked at as numbers
  // (a Buffer's own slice would look at the same memory)
  const { buffer, byteOffset } = bytes.byteOffset % 4 === 0 ? bytes : new Uint8Array(bytes);
  if (type === FLOAT) out.set(new Float32Array(buffer, byteOffset, out.length));
  else if (type === UINT) out.set(new Uint32Array(buffer, byteOffset, out.length));
  else {
    const halves = new Uint16Array(buffer, byteOffset, out.length);
    const table = halfTable();
    for (let x = 0; x < out.length; x++) out[x] = table[halves[x]];
  }
}

/** @returns null when the block does not give the bytes it must */
function unpack(
  body: Uint8Array,
  compression: number,
  expected: number,
  inflate: (bytes: Uint8Array, limit: number) => Uint8Array,
): Uint8Array | null {
  // a block that compression would have made larger is stored as it is
  if (compression === NONE || body.length === expected) return body.length === expected ? body : null;
  let packed: Uint8Array;
  try {
    packed = compression === RLE ? unrun(body, expected) : inflate(body, expected);
  } catch {
    return null;
  }
  if (packed.length !== expected) return null;
  return restoreBytes(packed);
}

function unrun(body: Uint8Array, expected: number): Uint8Array {
  const out = new Uint8Array(expected);
  let to = 0;
  for (let i = 0; i < body.length && to <= expected;) {
    const count = body[i] < 128 ? body[i] : body[i] - 256;
    if (count < 0) {
      out.set(body.subarray(i + 1, i + 1 - count), to);
      to -= count;
      i += 1 - count;
    } else {
      out.fill(body[i + 1], to, to + count + 1);
      to += count + 1;
      i += 2;
    }
  }
  return to === expected ? out : out.subarray(0, 0);
}

/**
 * Baked probes inside a .glb: a view of its binary chunk each, named in `extras.daxel.probes` at the root of the file
 * (glTF 2.0 specification, sections 3.6.1 and 4.4). Everything else in the file stays as it is, byte by byte where it can.
 */
import { BadFileError } from '@daxel/core/errors';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { z } from 'zod';

export interface BakedSet {
  /** All that they depend on: see core/frame/probeStore. */
  key: string;
  /** PROBE_STRIDE numbers each. */
  probes: Float32Array;
}

const MAGIC = 0x46546c67;
const JSON_CHUNK = 0x4e4f534a;
const BIN_CHUNK = 0x004e4942;
/** Longest key that is believed: a thousand lights are a tenth of it. */
const LONGEST_KEY = 2 ** 22;

const whole = z.number().int().min(0);
const described = z.array(
  z.object({ key: z.string().max(LONGEST_KEY), bufferView: whole, count: whole.min(1), numbers: whole }),
);
const fileShape = z.looseObject({
  buffers: z.array(z.looseObject({ byteLength: whole, uri: z.string().optional() })).optional(),
  bufferViews: z.array(z.looseObject({ buffer: whole, byteOffset: whole.optional(), byteLength: whole })).optional(),
  extras: z.unknown().optional(),
});
type FileShape = z.infer<typeof fileShape>;

/** The sets in a file, none where it has none. @throws BadFileError where they are damaged, or of another version */
export function readBaked(glb: Uint8Array, name: string): BakedSet[] {
  const { json, bin } = chunksOf(glb, name);
  return setsOf(json, name).map(({ key, bufferView, count, numbers }, i) => {
    const damaged = (problem: string): BadFileError =>
      new BadFileError(name, `its baked probes (set ${i + 1}) ${problem}`, 'Bake them again: daxel bake --probes.');
    if (numbers !== PROBE_STRIDE) throw damaged('were written by another version');
    const view = json.bufferViews?.[bufferView];
    const from = view?.byteOffset ?? 0;
    if (view?.buffer !== 0 || view.byteLength !== count * PROBE_STRIDE * 4 || from + view.byteLength > bin.length)
      throw damaged('are cut short');
    const probes = new Float32Array(bin.slice(from, from + view.byteLength).buffer);
    if (!probes.every(Number.isFinite)) throw damaged('hold what is no number');
    return { key, probes };
  });
}

/** A copy of the file with these sets in place of those it had. */
export function writeBaked(glb: Uint8Array, name: string, sets: readonly BakedSet[]): Uint8Array<ArrayBuffer> {
  const { json, bin: whole } = chunksOf(glb, name);
  const old = setsOf(json, name).map((s) => s.bufferView);
  const views = [...(json.bufferViews ?? [])];
  let bin = whole;
  // those of an earlier bake lie last, where this wrote them
  while (old.length > 0 && old.includes(views.length - 1)) bin = bin.subarray(0, views.pop()!.byteOffset ?? 0);
  const buffers = json.buffers ?? [{ byteLength: 0 }];
  if (buffers[0].uri !== undefined)
    throw new BadFileError(name, 'it has no place for data of its own', 'Save it as one .glb with everything in it.');
  const parts: Uint8Array[] = [padded(bin, 0)];
  let length = parts[0].length;
  const probes = sets.map(({ key, probes: numbers }) => {
    const bytes = new Uint8Array(numbers.slice().buffer);
    views.push({ buffer: 0, byteOffset: length, byteLength: bytes.length });
    parts.push(bytes);
    length += bytes.length;
    return { key, bufferView: views.length - 1, count: numbers.length / PROBE_STRIDE, numbers: PROBE_STRIDE };
  });
  const extras = isRecord(json.extras) ? json.extras : {};
  const daxel = isRecord(extras.daxel) ? extras.daxel : {};
  const out = {
    ...json,
    buffers: [{ ...buffers[0], byteLength: length }, ...buffers.slice(1)],
    bufferViews: views,
    extras: { ...extras, daxel: { ...daxel, probes } },
  };
  return glbOf(new TextEncoder().encode(JSON.stringify(out)), parts);
}

function setsOf({ extras }: FileShape, name: string): z.infer<typeof described> {
  const found = isRecord(extras) && isRecord(extras.daxel) ? extras.daxel.probes : undefined;
  if (found === undefined) return [];
  const sets = described.safeParse(found);
  if (sets.success) return sets.data;
  throw new BadFileError(
    name,
    'what it says of baked probes is damaged',
    'Bake them again: daxel bake --probes.',
    sets.error,
  );
}

function chunksOf(file: Uint8Array, name: string): { json: FileShape; bin: Uint8Array } {
  // slices of what a file is read into on Node would be views, and no copies
  const glb = new Uint8Array(file.buffer, file.byteOffset, file.byteLength);
  const broken = (details?: unknown): BadFileError =>
    new BadFileError(name, 'it is no .glb that can be read', 'Export it again.', details);
  const view = new DataView(glb.buffer, glb.byteOffset, glb.byteLength);
  if (glb.length < 20 || view.getUint32(0, true) !== MAGIC || view.getUint32(16, true) !== JSON_CHUNK) throw broken();
  const end = 20 + view.getUint32(12, true);
  if (end > glb.length) throw broken();
  let text: unknown;
  try {
    text = JSON.parse(new TextDecoder().decode(glb.subarray(20, end)));
  } catch (error) {
    throw broken(error);
  }
  const json = fileShape.safeParse(text);
  if (!json.success) throw broken(json.error);
  const has = end + 8 <= glb.length && view.getUint32(end + 4, true) === BIN_CHUNK;
  const length = has ? Math.min(view.getUint32(end, true), glb.length - end - 8) : 0;
  // checked, and handed on as it was written
  return { json: text as FileShape, bin: glb.subarray(end + 8, end + 8 + length) };
}

function glbOf(json: Uint8Array, bin: readonly Uint8Array[]): Uint8Array<ArrayBuffer> {
  const text = padded(json, 0x20);
  const length = bin.reduce((sum, part) => sum + part.length, 0);
  const out = new Uint8Array(12 + 8 + text.length + 8 + length);
  const view = new DataView(out.buffer);
  [MAGIC, 2, out.length, text.length, JSON_CHUNK].forEach((n, i) => view.setUint32(i * 4, n, true));
  out.set(text, 20);
  view.setUint32(20 + text.length, length, true);
  view.setUint32(24 + text.length, BIN_CHUNK, true);
  let at = 28 + text.length;
  for (const part of bin) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

/** Chunks and views begin at multiples of four bytes. */
function padded(bytes: Uint8Array, filler: number): Uint8Array {
  const out = new Uint8Array(Math.ceil(bytes.length / 4) * 4).fill(filler);
  out.set(bytes);
  return out;
}

function isRecord(value: unknown): value is Record<string, unknown> {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** What every method of light from around a surface answers to. */
import type { FrameWork } from '../frame/frameWork';
import type { ArenaPlan, ArenaViews } from '../frame/memory';
import type { FrameStage, OpenStage } from '../frame/stages/stage';
import type { ViewMode } from '../shading/views';
import type { AroundView, ShownAround } from './view';
import type { PixelBox } from '../raster/tile';

/** Three columns: of places, directions or colours. */
export type Triple = readonly [Float32Array, Float32Array, Float32Array];

/**
 * Surfaces that neighbouring pixels of a row see, column by column, and what reaches them from around. Methods fill what
 * those before them were not sure of; the surroundings far away come last, and are always sure.
 */
export interface SurfaceRow {
  /** It is the one that the compiled loops are at. */
  compiled: boolean;
  count: number;
  /** They are surfaces that what lies behind is seen through. */
  seeThrough: boolean;
  /** Not 0 where a pixel sees any. */
  live: Int32Array;
  /** Place in the picture of the first; the others follow a pixel apart. */
  px: number;
  py: number;
  /** From where places are told, metres in the world. */
  base: readonly number[];
  position: Triple;
  /** Unit, on the side that is seen. */
  normal: Triple;
  /** The same of the true face. */
  face: Triple;
  /** Unit, to the eye. */
  view: Triple;
  /** 0…1; and the share of light from all around that is mirrored. */
  roughness: Float32Array;
  mirrored: Triple;
  /** What their matte parts scatter: nothing of glass and of metal, which need no irradiance. */
  diffuse: Triple;
  /** Irradiance (nit sr), and how sure it is, 0…1. */
  bounce: Triple;
  bounceSure: Float32Array;
  /** Share of the irradiance that comes from the surroundings, as is known, 0…1: no other method fills it. */
  far: Float32Array;
  /** Radiance (nit) from where the surface mirrors, and how sure it is, 0…1. */
  mirror: Triple;
  mirrorSure: Float32Array;
  /** Share of the surroundings that nothing near stands before, by the cosine, 0…1; and the unit mean direction of that. */
  open: Float32Array;
  bent: Triple;
}

/** Columns of a row that methods write, in the order in which they lie. */
export const AROUND_COLUMNS = 13;

/** A sample of a tile whose rows are about to be asked for. */
export interface TileSample {
  tile: PixelBox;
  /** Counts the samples of the pattern: rays of each go other ways. */
  number: number;
}

/** What a method reads of what pixels see through their middles. */
export interface PrepassNeeds {
  depth: boolean;
  normals: boolean;
  /** Of so many pixels across and down one is wanted with what it sends: see `core/frame/stages/prepass`. 0 for none. */
  senders: number;
}

/** How much of what the picture sends a method takes. */
export interface ReadsLight {
  /** Of so many pixels across and down it takes one. */
  step: number;
  /** After the first that light may meet: from none its glow alone is taken. */
  surfaces: number;
  /** Luminance of a pixel, nit: what is brighter would be seen as lone bright dots. */
  most: number;
}

/** A method as a stage of the frame: it may make something ready, and then answers for rows of surfaces. */
export interface AroundStage<Options, Arena extends ArenaPlan> extends FrameStage<Options, Arena> {
  needs(options: Options): PrepassNeeds;
  open(work: FrameWork, options: Options, views: ArenaViews<Arena>): OpenAround;
}

/** Methods that bring light, in the order in which they are asked. */
export const ANSWERS = ['screen', 'traced', 'voxels', 'probes'] as const;

/** A method at work on one thread. */
export interface OpenAround extends OpenStage {
  /** What its time is booked to; bounced light where absent. */
  serves?: 'bounce' | 'reflections';
  /** It answers for places that no pixel sees as well. */
  anywhere?: true;
  /** Is told of the other methods of the frame before anything is asked. */
  meet?(others: readonly OpenAround[]): void;
  /** What it brings is shown as its own; absent where it only says what is kept out. */
  answers?: (typeof ANSWERS)[number];
  /** It says nothing of surfaces without a matte part. */
  matteOnly?: true;
  begin(sample: TileSample): void;
  /** It reads what the picture sends, and is not there when that is worked out. */
  readsLight?: ReadsLight;
  /** Of the rays of the one place that was asked for last, the share that met something, left the frame, went behind something. */
  missed?(out: Float64Array): void;
  /** Instruments that show what it has. */
  shows?: readonly ViewMode[];
  show?(look: ShownAround, mode: ViewMode): AroundView;
  /** Adds what it finds for the places of a row. */
  gather(row: SurfaceRow): void;
}

export function isAround(stage: OpenStage): stage is OpenAround {
  return 'gather' in stage;
}

/** Columns that lie one behind the other, so many numbers each. */
function columnsAt(buffer: ArrayBufferLike, at: number, length: number): (first: number) => Triple {
  const one = (k: number): Float32Array => new Float32Array(buffer, at + k * length * 4, length);
  return (first) => [one(first), one(first + 1), one(first + 2)];
}

/** Where the columns of a row lie: bytes from the start of a buffer. */
export interface RowPlace {
  compiled: boolean;
  buffer: ArrayBufferLike;
  count: number;
  position: number;
  normal: number;
  face: number;
  view: number;
  roughness: number;
  mirrored: number;
  diffuse: number;
  live: number;
  /** AROUND_COLUMNS of them. */
  around: number;
}

export function rowAt({
  compiled,
  buffer,
  count,
  position,
  normal,
  face,
  view,
  roughness,
  mirrored,
  diffuse,
  live,
  around,
}: RowPlace): SurfaceRow {
  const found = columnsAt(buffer, around, count);
  const [bounceSure] = found(3);
  const [mirrorSure] = found(7);
  const [open] = found(8);
  const far = new Float32Array(buffer, around + 12 * count * 4, count);
  return {
    ...{ compiled, count, seeThrough: false, px: 0, py: 0, base: [0, 0, 0], live: new Int32Array(buffer, live, count) },
    position: columnsAt(buffer, position, count)(0),
    normal: columnsAt(buffer, normal, count)(0),
    face: columnsAt(buffer, face, count)(0),
    view: columnsAt(buffer, view, count)(0),
    roughness: new Float32Array(buffer, roughness, count),
    mirrored: columnsAt(buffer, mirrored, count)(0),
    diffuse: columnsAt(buffer, diffuse, count)(0),
    ...{ bounce: found(0), bounceSure, mirror: found(4), mirrorSure, far, open, bent: found(9) },
  };
}

/** A row of one place, with memory of its own. */
export function rowOfOne(): SurfaceRow {
  const buffer = new ArrayBuffer((20 + AROUND_COLUMNS) * 4);
  const row = rowAt({
    compiled: false,
    buffer,
    count: 1,
    position: 0,
    normal: 12,
    face: 24,
    diffuse: 36,
    live: 48,
    view: 52,
    roughness: 64,
    mirrored: 68,
    around: 80,
  });
  row.live[0] = 1;
  return row;
}

/** Nothing is found yet, and nothing stands in the way. */
export function clearRow(row: SurfaceRow): void {
  row.bounceSure.fill(0);
  row.mirrorSure.fill(0);
  row.far.fill(0);
  row.open.fill(1);
  for (let c = 0; c < 3; c++) row.bent[c].set(row.normal[c]);
}

/** Of the normal, when a place is open all around: the mean of directions by the cosine. */
const OPEN_LENGTH = 2 / 3;

/** Bends the normal of a place of a row to where it is open. @param lean by how much the mean open direction leans from that */
export function bend({ bent, normal }: SurfaceRow, i: number, lean: ArrayLike<number>): void {
  let square = 0;
  for (let c = 0; c < 3; c++) {
    const v = normal[c][i] * OPEN_LENGTH + lean[c];
    bent[c][i] = v;
    square += v * v;
  }
  const scale = 1 / Math.sqrt(square);
  for (let c = 0; c < 3; c++) bent[c][i] = square > 1e-8 ? bent[c][i] * scale : normal[c][i];
}

/**
 * Shading by the compiled loops: what `shadeTile` does, in floats, laid out as flat records in the memory of a thread.
 * What the loops do not know (rays, contact shadows, moment filters, pictures around the scene) they ask for.
 */
import { LIGHT_BYTES } from '@daxel/kernel/generated/layouts/light';
import * as R from '@daxel/kernel/generated/layouts/row';
import { bindKernel, kernelCalls, type KernelExports } from '@daxel/kernel/load';
import { rowAt, type SurfaceRow } from '../around/method';
import { POLYGON, RECTANGLE } from '../light/areaIrradiance';
import { SH_FACTORS, SH_TERMS } from '../math/sh';
import { LightRecords } from './lightRecords';
import { arriveAt } from './lighting';
import { bindScenery, SCENERY_BYTES } from '../raster/scenery';
import { backgroundAt, type ShadeInput } from './shadeTile';
import { SKY_NUMBERS, writeSky } from './skyRecord';
import type { SentLight } from './sendTile';
import type { SurfaceInput } from '../raster/surface';
import { takenOf, tileAt, tileBytes, type PixelBox, type Tile } from '../raster/tile';

/** Pixels of a row. */
const ROW_PLACES = R.ROW_NORMAL / 3;
/** More lights than this are shaded by the plain twin. */
const MOST_LIGHTS = 64;
/** Parts of a thread's memory, bytes from its start. */
const HARMONICS = SCENERY_BYTES;
const AREA = HARMONICS + SH_TERMS * 16;
const SKY = AREA + 1216;
const PLAIN = SKY + SKY_NUMBERS * 4;
const TRIANGLES = PLAIN + 16 * 128;
const ROW = TRIANGLES + 512 * 256;
const LIGHTS = ROW + R.ROW_BYTES;
/** Maps of what is around at one roughness, and those: see kernel/assembly/environment. */
const FLATS = LIGHTS + MOST_LIGHTS * LIGHT_BYTES;
const TILE = FLATS + 8 * (48 * 48 * 16 + 4);
/** Bytes that each thread needs for itself. @param layerLimit see-through surfaces a pixel */
export function shadeScratchBytes(layerLimit: number): number {
  return Math.ceil((TILE + tileBytes(layerLimit)) / 64) * 64;
}

/** Binds a scene to the loops: to be called before any of them, of coverage as well, runs on the memory. */
export function bindScene(memory: WebAssembly.Memory, scratch: Uint8Array, surface: SurfaceInput): void {
  bindScenery(memory, scratch, surface);
  const loops = bindKernel(memory);
  const at = scratch.byteOffset;
  loops.bindRow(at + ROW);
  loops.bindMaterials(at + PLAIN);
  loops.bindTriangles(surface.clip.byteOffset, at + TRIANGLES);
}

/** A tile whose arrays lie in a thread's memory, where the loops can read them. */
export function tileIn(scratch: Uint8Array, layerLimit: number): Tile {
  return tileAt(scratch.buffer, scratch.byteOffset + TILE, layerLimit);
}

/** Columns of the row that the loops work on. */
function rowIn(buffer: ArrayBufferLike, at: number): SurfaceRow {
  return rowAt({
    ...{ compiled: true, buffer, count: ROW_PLACES },
    position: at + R.ROW_POSITION * 4,
    normal: at + R.ROW_NORMAL * 4,
    face: at + R.ROW_FACE * 4,
    view: at + R.ROW_VIEW * 4,
    roughness: at + R.ROW_ROUGHNESS * 4,
    mirrored: at + R.ROW_MIRRORED * 4,
    diffuse: at + R.ROW_DIFFUSE * 4,
    live: at + R.ROW_LIVE * 4,
    around: at + R.ROW_AROUND * 4,
  });
}

export class ShadeKernel {
  private readonly loops: KernelExports;
  private readonly lights: LightRecords;

  /**
   * @param memory bound by `bindScene`
   * @param scratch this thread's, `shadeScratchBytes` long; it and all arrays of the input are views of the memory
   * @param input may get other lights later: see `setLights`
   */
  constructor(
    memory: WebAssembly.Memory,
    private readonly scratch: Uint8Array,
    private readonly input: ShadeInput,
  ) {
    this.loops = bindKernel(memory);
    const { buffer, byteOffset: at } = scratch;
    const { lighting, rays } = input;
    const { memory: maps } = lighting;
    const glass = maps.glassDepth.length > 0;
    this.loops.bindShadows(
      maps.shadowTexels.byteOffset,
      maps.shadowBlocks.byteOffset,
      glass ? maps.glassDepth.byteOffset : 0,
      glass ? maps.glassTint.byteOffset : 0,
    );
    const area = new Float64Array(buffer, at + AREA, POLYGON.length + RECTANGLE.length);
    area.set(POLYGON);
    area.set(RECTANGLE, POLYGON.length);
    this.loops.bindArea(at + AREA);
    const { origin: o, forward: w } = rays;
    // places are told from near the camera: floats are exact where it looks closely
    const base = [Math.fround(o[0]), Math.fround(o[1]), Math.fround(o[2])] as const;
    this.lights = new LightRecords(buffer, at + LIGHTS, MOST_LIGHTS, base);
    const from = [o[0] - base[0], o[1] - base[1], o[2] - base[2]] as const;
    this.loops.bindCamera(...base, ...from, w[0], w[1], w[2], rays.perspective ? 0 : 1);
    this.loops.bindPicture(
      input.sums.byteOffset,
      input.depth.byteOffset,
      input.normal.byteOffset,
      input.objectId.byteOffset,
      input.width,
      input.background ? 1 : 0,
      lighting.around ? (lighting.around.matteOnly ? 2 : 1) : 0,
    );
    const sky = new Float32Array(buffer, at + SKY, SKY_NUMBERS);
    const known = input.gradient !== null && writeSky(input.gradient, rays, sky);
    this.loops.bindSky(known ? at + SKY : 0);
    const calls = kernelCalls(memory);
    const color = new Float64Array(3);
    const record = new Float64Array(buffer, at + ROW + R.ROW_ASKED * 4, 9);
    calls.arrive = (light, whole, lx, ly, lz, distance, faceCos) => {
      const [r, g, b] = arriveAt(lighting, record, lighting.lights[light], whole === 1, lx, ly, lz, distance, faceCos);
      this.loops.setLit(r, g, b);
    };
    calls.mirror = (x, y, z) => {
      lighting.sharp!(x, y, z, color);
      this.loops.setColor(color[0], color[1], color[2]);
    };
    calls.backdrop = (px, py) => {
      backgroundAt(input, px, py, color);
      this.loops.setColor(color[0], color[1], color[2]);
    };
    const { around } = lighting;
    if (around) {
      const row = rowIn(buffer, at + ROW);
      row.base = base;
      calls.around = (px, py, seeThrough) => {
        row.seeThrough = seeThrough === 1;
        row.px = px;
        row.py = py;
        around.gather(row);
      };
    }
    const harmonics = new Float32Array(buffer, at + HARMONICS, SH_TERMS * 4);
    for (let k = 0; k < SH_TERMS; k++)
      for (let c = 0; c < 3; c++) harmonics[k * 4 + c] = lighting.environmentSh[c * SH_TERMS + k] * SH_FACTORS[k];
    this.setLights();
  }

  /** Takes over the input's lights. */
  setLights(): void {
    const { lighting } = this.input;
    const { byteOffset: at } = this.scratch;
    lighting.lights.forEach((light, i) => this.lights.write(i, light, lighting, lighting.readings[light.index]));
    this.loops.bindLights(at + LIGHTS, lighting.lights.length);
    this.loops.bindEnvironment(
      at + HARMONICS,
      lighting.environmentMap.byteOffset,
      lighting.bounce,
      lighting.reflections,
      lighting.sharp ? 1 : 0,
      at + FLATS,
    );
  }

  /** As the plain `sendTile`. */
  send({ x0, y0, x1, y1 }: PixelBox, to: SentLight, share: number, begins: boolean): void {
    const { width, step, triangle, senders, smooth } = to;
    const across = takenOf(width, step);
    const first = triangle.byteOffset + ((y0 / step) * across + x0 / step) * 4;
    this.loops.sendTile(
      ...([x0, y0, x1, y1, first, step, across] as const),
      ...([senders.byteOffset, smooth.byteOffset, share, begins ? 1 : 0, Math.min(2, to.surfaces), to.most] as const),
    );
  }

  /** As `shadeTile`. @param tile from `tileIn` @param whole where a first sample is a whole picture: see `WholeSample` */
  shade(tile: Tile, ox: number, oy: number, share: number, first: boolean, whole: WholeSample | null): void {
    this.loops.shadeTile(
      tile.x0,
      tile.y0,
      tile.x1,
      tile.y1,
      tile.triangle.byteOffset,
      tile.layerCount.byteOffset,
      tile.layerTriangle.byteOffset,
      tile.layerLimit,
      ox,
      oy,
      share,
      first ? 1 : 0,
      whole ? whole.beauty.byteOffset : 0,
      whole ? whole.scale : 0,
    );
  }
}

/** Where the sums of a sample that is the first and the last go as well: as `gatherBeauty` does it. */
export interface WholeSample {
  beauty: Float32Array;
  /** 2^EV over the number of samples. */
  scale: number;
}

/** Can the loops shade this? Not instruments, and not many positions a light that rays go to. */
export function canShade(input: ShadeInput, mostLights: number): boolean {
  const { rays, positions } = input.lighting;
  return input.view === null && (rays === null || positions === 0) && mostLights <= MOST_LIGHTS;
}

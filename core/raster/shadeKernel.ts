/**
 * Shading by the compiled loops: the same numbers as `shadeTile`, laid out as flat records in the memory of a thread.
 * What the loops do not know (rays, contact shadows, soft and moment filters, pictures around the scene) they ask for.
 */
import { bindKernel, kernelCalls, type KernelExports } from '@daxel/kernel/load';
import { POLYGON, RECTANGLE } from '../light/areaIrradiance';
import { LIGHT_SUN, type FrameLight } from '../light/frameLight';
import { SRGB8_TO_LINEAR, UNIT8 } from '../math/color';
import { SH_TERMS } from '../math/sh';
import type { ShadowReading } from '../shadows/shadowAt';
import type { ShadowView } from '../shadows/shadowMap';
import { arriveAt, type LightingInput } from './lighting';
import { environmentReflectance } from './reflectance';
import { backgroundAt, type ShadeInput } from './shadeTile';
import { SURFACE_SIZE, type SurfaceInput } from './surface';
import { tileAt, tileBytes, type Tile } from './tile';

/** More lights than this are shaded by the plain twin. */
const MOST_LIGHTS = 64;
/** Doubles of a light's record, of a map's in it, and how many maps it holds. */
const LIGHT_NUMBERS = 40;
const VIEW_NUMBERS = 32;
const MOST_VIEWS = 6;
const LIGHT_STRIDE = LIGHT_NUMBERS + MOST_VIEWS * VIEW_NUMBERS;
/** How a light arrives. */
const FREELY = 0;
const BY_MAPS = 1;
const AS_ASKED = 2;

/** Parts of a thread's memory, bytes from its start. */
const TABLE = 0;
const RECORD = TABLE + 64;
const SRGB = RECORD + 320;
const LINEAR = SRGB + 1024;
const REFLECTANCE = LINEAR + 1024;
const HARMONICS = REFLECTANCE + 8192;
const AREA = HARMONICS + SH_TERMS * 32;
const KEPT = AREA + 1216;
const LIGHTS = KEPT + 128 * 128;
const TILE = LIGHTS + MOST_LIGHTS * LIGHT_STRIDE * 8;

/** Bytes that each thread needs for itself. @param layerLimit see-through surfaces a pixel */
export function shadeScratchBytes(layerLimit: number): number {
  return Math.ceil((TILE + tileBytes(layerLimit)) / 64) * 64;
}

/** Binds a scene to the loops, so that materials can be asked for. @returns the record that they write */
export function bindMaterials(memory: WebAssembly.Memory, scratch: Uint8Array, surface: SurfaceInput): Float64Array {
  const { buffer, byteOffset: at } = scratch;
  const { scene, posed } = surface;
  new Float32Array(buffer, at + SRGB, 256).set(SRGB8_TO_LINEAR);
  new Float32Array(buffer, at + LINEAR, 256).set(UNIT8);
  const reflectance = environmentReflectance();
  new Float32Array(buffer, at + REFLECTANCE, reflectance.length).set(reflectance);
  const parts = [
    scene.triangles,
    scene.triangleMaterial,
    scene.triangleInstance,
    scene.uvs,
    scene.colors,
    scene.materials,
    scene.textures,
    scene.texels,
    posed.positions,
    posed.normals,
    posed.tangents,
  ].map((array) => array.byteOffset);
  new Uint32Array(buffer, at + TABLE, 15).set([...parts, at + SRGB, at + LINEAR, at + REFLECTANCE, at + RECORD]);
  bindKernel(memory).bindScene(at + TABLE, surface.textureBias, surface.steady ? 1 : 0);
  return new Float64Array(buffer, at + RECORD, SURFACE_SIZE);
}

/** A tile whose arrays lie in a thread's memory, where the loops can read them. */
export function tileIn(scratch: Uint8Array, layerLimit: number): Tile {
  return tileAt(scratch.buffer, scratch.byteOffset + TILE, layerLimit);
}

export class ShadeKernel {
  private readonly loops: KernelExports;
  private readonly lights: Float64Array;

  /**
   * @param scratch this thread's, `shadeScratchBytes` long; it and all arrays of the input are views of the memory
   * @param input may get other lights later: see `setLights`
   * @param record from `bindMaterials` on the same memory
   */
  constructor(
    memory: WebAssembly.Memory,
    private readonly scratch: Uint8Array,
    private readonly input: ShadeInput,
    record: Float64Array,
  ) {
    this.loops = bindKernel(memory);
    const { buffer, byteOffset: at } = scratch;
    this.lights = new Float64Array(buffer, at + LIGHTS, MOST_LIGHTS * LIGHT_STRIDE);
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
    this.loops.bindCamera(o[0], o[1], o[2], w[0], w[1], w[2]);
    this.loops.bindPicture(
      input.surface.clip.byteOffset,
      input.sums.byteOffset,
      input.depth.byteOffset,
      input.normal.byteOffset,
      input.objectId.byteOffset,
      at + KEPT,
      input.width,
      input.background ? 1 : 0,
    );
    if (rays.perspective) this.loops.bindEye(o[0], o[1], o[2], 0);
    else this.loops.bindEye(-w[0], -w[1], -w[2], 1);
    const calls = kernelCalls(memory);
    const color = new Float64Array(3);
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
    const harmonics = new Float64Array(buffer, at + HARMONICS, SH_TERMS * 4);
    for (let k = 0; k < SH_TERMS; k++)
      for (let c = 0; c < 3; c++) harmonics[k * 4 + c] = lighting.environmentSh[c * SH_TERMS + k];
    this.setLights();
  }

  /** Takes over the input's lights. */
  setLights(): void {
    const { lighting } = this.input;
    lighting.lights.forEach((light, i) =>
      writeLight(this.lights, i * LIGHT_STRIDE, light, lighting, lighting.readings[light.index]),
    );
    const { byteOffset: at } = this.scratch;
    this.loops.bindLighting(
      at + LIGHTS,
      lighting.lights.length,
      at + HARMONICS,
      lighting.environmentMap.byteOffset,
      lighting.bounce,
      lighting.reflections,
      lighting.sharp ? 1 : 0,
    );
  }

  /** As `shadeTile`. @param tile from `tileIn` */
  shade(tile: Tile, ox: number, oy: number, share: number, first: boolean): void {
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
    );
  }
}

/** Can the loops shade this? Not instruments, and not many positions a light that rays go to. */
export function canShade(input: ShadeInput, mostLights: number): boolean {
  const { rays, lightSamples } = input.lighting;
  return input.view === null && (rays === null || lightSamples === 1) && mostLights <= MOST_LIGHTS;
}

function writeLight(
  out: Float64Array,
  at: number,
  light: FrameLight,
  lighting: LightingInput,
  reading: ShadowReading,
): void {
  const hard = reading.filter === 'hard';
  out.set(
    [
      light.kind,
      ...[light.px, light.py, light.pz],
      ...[light.dx, light.dy, light.dz],
      ...[light.r, light.g, light.b],
      light.range,
      light.radius,
      light.discTan,
      ...[light.ux, light.uy, light.uz],
      ...[light.vx, light.vy, light.vz],
      light.area,
      light.facing,
      ...[light.fx, light.fy, light.fz],
      light.spotScale,
      light.spotOffset,
      light.sampled ? 1 : 0,
      arrival(light, lighting, reading),
      light.maps.length,
      hard ? 1 : reading.taps,
      hard ? 0 : reading.radius,
      reading.automatic ? 1 : 0,
      reading.slopeBias,
      reading.normalOffset,
      reading.blend,
      light.round ? 1 : 0,
    ],
    at,
  );
  light.maps.slice(0, MOST_VIEWS).forEach((view, k) => writeView(out, at + LIGHT_NUMBERS + k * VIEW_NUMBERS, view));
}

function arrival(light: FrameLight, lighting: LightingInput, reading: ShadowReading): number {
  if (!light.castsShadow) return FREELY;
  if (lighting.rays !== null || lighting.contact !== null) return AS_ASKED;
  if (light.maps.length === 0) return FREELY;
  if (light.maps.length > MOST_VIEWS || reading.filter === 'moment') return AS_ASKED;
  if (reading.filter !== 'soft' || light.sampled) return BY_MAPS;
  const extent = light.kind === LIGHT_SUN ? light.discTan : light.area + light.radius;
  return extent > 0 ? AS_ASKED : BY_MAPS;
}

function writeView(out: Float64Array, at: number, view: ShadowView): void {
  out.set(view.matrix, at);
  out.set(
    [
      view.resolution,
      view.texelSize,
      view.perspective ? 1 : 0,
      view.depthScale,
      view.end,
      view.depthCodes,
      view.offset,
      view.blockOffset,
    ],
    at + 16,
  );
}

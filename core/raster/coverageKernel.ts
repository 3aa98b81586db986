/** Coverage by the compiled loops, for one thread: what `transformVertices`, `drawTile` and shadow maps give their work to. */
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import { PARALLEL_RANGE, type CameraView, type RayFrame } from '../scene/camera';
import type { CompiledScene } from '../scene/compiled';
import { CHUNK_ENTRIES, CHUNK_TRIANGLES, type BinTarget, type FaceRule } from './binTriangles';
import { dimmingOf, evenTint, hasPicture } from './cutout';
import { TILE_SIDE, type PixelBox, type Tile } from './tile';

/** Texels across the square that the depths of shadow maps are drawn in, and their binary logarithm. */
export const DEPTH_SHIFT = 7;
export const DEPTH_SIDE = 1 << DEPTH_SHIFT;

/** Parts of a thread's memory, bytes from its start. */
const MATRIX = 0;
const DEPTHS = 128;
/** Four depths are read and written at once: three may lie behind the square. */
const LEFT = DEPTHS + DEPTH_SIDE * DEPTH_SIDE * 4 + 16;
/** Triangles that are drawn next: see kernel/assembly/ready. */
const READY = LEFT + CHUNK_TRIANGLES * 4;
const TINTS = READY + 256 * 64;
/** Bytes that a material takes behind the start of its tints: those, its kind and its face rule. */
const MATERIAL_BYTES = 4 * 2 + 1 + 1;

/** Bytes that each thread needs for itself. */
export function coverageScratchBytes(materials: number): number {
  return Math.ceil((TINTS + materials * MATERIAL_BYTES) / 64) * 64;
}

/**
 * Fills a rectangle of an array of 32-bit whole numbers, or of floats with 0: by the compiled loops where they are, for a
 * shared array fills itself number by number.
 * @param stride pixels a row @param each numbers a pixel
 */
export function fillBox(
  kernel: CoverageKernel | null,
  array: Float32Array | Uint32Array | Int32Array,
  stride: number,
  { x0, y0, x1, y1 }: PixelBox,
  value: number,
  each = 1,
): void {
  if (kernel) return kernel.fill(array, stride * each, x0 * each, y0, x1 * each, y1, value);
  for (let y = y0; y < y1; y++) array.fill(value, (y * stride + x0) * each, (y * stride + x1) * each);
}

/** Where what is seen goes. */
interface SeenPlanes {
  /** Of so many pixels across and down one is taken, and how many of these lie in a row of the planes. */
  step: number;
  across: number;
  depth: Float32Array;
  /** A normal every so many numbers; of length 0 where they are not wanted. */
  face: Float32Array;
  each: number;
  triangle: Int32Array | null;
}

export class CoverageKernel {
  /** Triangles of the list drawn last that the loops leave to the caller. */
  readonly left: Int32Array;
  /** DEPTH_SIDE² depths that `drawDepths` draws in. */
  readonly depths: Float32Array;
  private readonly loops: KernelExports;
  private readonly kinds: Uint8Array;
  private readonly rules: Uint8Array;
  private readonly matrix: Float64Array;
  /** What each material lets through, rgb and a one, as `dimmingOf` has it; −1 where that is not even. */
  private readonly tints: Int16Array;
  private readonly ready: number;
  private inUse: Uint8Array | null = null;

  /**
   * @param scene what is drawn: its arrays are views of the memory too
   * @param scratch this thread's, `coverageScratchBytes` long; it and the arrays are views of the memory
   * @param boxes see `BinTarget`
   */
  constructor(
    memory: WebAssembly.Memory,
    private readonly scene: CompiledScene,
    scratch: Uint8Array,
    private readonly clip: Float32Array,
    private readonly boxes: Int16Array,
  ) {
    this.loops = bindKernel(memory);
    const { buffer, byteOffset: at } = scratch;
    this.matrix = new Float64Array(buffer, at + MATRIX, 16);
    this.depths = new Float32Array(buffer, at + DEPTHS, DEPTH_SIDE * DEPTH_SIDE);
    this.left = new Int32Array(buffer, at + LEFT, CHUNK_TRIANGLES);
    this.ready = at + READY;
    const { length: materials } = scene.meta.materials;
    this.tints = new Int16Array(buffer, at + TINTS, materials * 4);
    const kinds = TINTS + materials * 4 * 2;
    this.kinds = scratch.subarray(kinds, kinds + materials);
    this.rules = scratch.subarray(kinds + materials, kinds + 2 * materials);
    const tint = new Float64Array(3);
    for (let m = 0; m < materials; m++) {
      evenTint(scene, m, tint);
      this.tints.set(hasPicture(scene, m) ? [-1, -1, -1, -1] : [...tint, 1].map(dimmingOf), m * 4);
    }
  }

  /** Says how the triangles of each material are taken from now on. @param kinds a byte per material */
  use(kinds: Uint8Array): void {
    if (this.inUse === kinds) return;
    this.inUse = kinds;
    this.kinds.set(kinds);
    this.loops.bindCoverage(this.clip.byteOffset, this.boxes.byteOffset, this.kinds.byteOffset, this.ready);
  }

  /** See `fillBox`. @param stride numbers a row @param x0 … y1 numbers, not pixels */
  fill(
    array: Float32Array | Uint32Array | Int32Array,
    stride: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    value: number,
  ): void {
    this.loops.fillSquare(array.byteOffset, stride, x0, y0, x1, y1, value);
  }

  /** As `transformVertices`. */
  transform(matrix: Float64Array, positions: Float32Array, from: number, to: number): void {
    this.matrix.set(matrix);
    this.loops.transform(this.matrix.byteOffset, positions.byteOffset, this.clip.byteOffset, from, to);
  }

  /** As the `binChunk` of plain loops. */
  binChunk(chunk: number, rule: FaceRule, reach: number, target: BinTarget): void {
    const { width, height, tileShift, tilesX, tilesY, starts, entries } = target;
    const { triangles, triangleMaterial } = this.scene;
    const first = chunk * CHUNK_TRIANGLES;
    const tiles = tilesX * tilesY;
    this.rules.set(rule);
    this.loops.binChunk(
      first,
      Math.min(first + CHUNK_TRIANGLES, triangleMaterial.length),
      this.clip.byteOffset,
      triangles.byteOffset,
      triangleMaterial.byteOffset,
      this.rules.byteOffset,
      reach,
      width,
      height,
      tileShift,
      tilesX,
      tiles,
      starts.byteOffset + chunk * (tiles + 2) * 4,
      entries.byteOffset + chunk * CHUNK_ENTRIES * 4,
      this.boxes.byteOffset,
    );
  }

  /** Draws the opaque triangles of a list. @returns how many others are `left` */
  drawTriangles(list: Int32Array, tile: Tile, offsetX: number, offsetY: number): number {
    return this.loops.drawTriangles(
      list.byteOffset,
      list.length,
      this.left.byteOffset,
      tile.x0,
      tile.y0,
      tile.x1,
      tile.y1,
      tile.depth.byteOffset,
      tile.triangle.byteOffset,
      TILE_SIDE,
      offsetX,
      offsetY,
    );
  }

  /** Writes what the tile sees into planes of the picture, as `writeTileDepth` and `writeTileNormals` do. */
  seeTile(
    { x0, y0, x1, y1, depth, triangle }: Tile,
    { camera: { lens }, rays: { perspective, origin, forward } }: { camera: CameraView; rays: RayFrame },
    { step, across, ...to }: SeenPlanes,
  ): void {
    const [x, y, z] = perspective ? origin : forward.map((v) => -v);
    const face = to.face.length > 0 ? to.face.byteOffset : 0;
    this.loops.seeTile(
      ...([
        x0,
        y0,
        x1,
        y1,
        depth.byteOffset,
        triangle.byteOffset,
        lens.near,
        perspective ? 0 : PARALLEL_RANGE,
      ] as const),
      ...([x, y, z, step, across, to.depth.byteOffset, face, to.each * 4, to.triangle?.byteOffset ?? 0] as const),
    );
  }

  /** Takes a see-through triangle among the tile's layers. */
  drawLayer(t: number, tile: Tile, offsetX: number, offsetY: number): void {
    const { x0, y0, x1, y1, depth, layerCount, layerDepth, layerTriangle, layerLimit } = tile;
    this.loops.drawLayer(
      t,
      x0,
      y0,
      x1,
      y1,
      depth.byteOffset,
      layerCount.byteOffset,
      layerDepth.byteOffset,
      layerTriangle.byteOffset,
      layerLimit,
      TILE_SIDE,
      offsetX,
      offsetY,
    );
  }

  /** Draws the depth of a list's triangles of kind `solid` into `depths`, from a tile's corner on. @returns how many are `left` */
  drawDepths(list: Int32Array, solid: number, { x0, y0, x1, y1 }: PixelBox): number {
    const { byteOffset: left } = this.left;
    const { byteOffset: depths } = this.depths;
    return this.loops.drawDepths(list.byteOffset, list.length, left, solid, x0, y0, x1, y1, depths, DEPTH_SIDE);
  }

  /** Colours the light by a list's evenly tinted sheets of kind `glass`. @returns how many others are `left` */
  drawSheets(
    list: Int32Array,
    glass: number,
    { x0, y0, x1, y1 }: PixelBox,
    map: Float32Array,
    depth: Float32Array,
    colour: Uint32Array,
    stride: number,
  ): number {
    return this.loops.drawSheets(
      list.byteOffset,
      list.length,
      this.left.byteOffset,
      glass,
      this.tints.byteOffset,
      x0,
      y0,
      x1,
      y1,
      map.byteOffset,
      depth.byteOffset,
      colour.byteOffset,
      stride,
    );
  }

  /** Takes `depths` into a tile of a map of `stride` texels a row, rounded to its format, and sums up its blocks. */
  finishDepths(
    map: Float32Array,
    stride: number,
    depthCodes: number,
    blocks: Float32Array,
    across: number,
    { x0, y0, x1, y1 }: PixelBox,
  ): void {
    const { byteOffset: depths } = this.depths;
    const { byteOffset: to } = map;
    this.loops.finishDepths(depths, DEPTH_SIDE, to, stride, depthCodes, blocks.byteOffset, across, x0, y0, x1, y1);
  }
}

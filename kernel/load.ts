/** Loads the compiled loops onto a memory: the same way in Node, in web workers and in tests. */
import { KERNEL_WASM } from './generated/kernelWasm';

/** Addresses are bytes from the start of the memory. See kernel/assembly for what each does. */
export interface KernelExports {
  bindStructure(
    positions: number,
    triangles: number,
    triangleMaterial: number,
    records: number,
    scratch: number,
    nodes: number,
    packets: number,
    order: number,
    materials: number,
    table: number,
  ): void;
  measureTriangles(from: number, to: number): void;
  growTop(count: number): void;
  growPart(part: number): void;
  fitPart(part: number): void;
  fitTop(): void;
  nodeCount(): number;
  structureCost(): number;
  mixEdges(
    motion: number,
    ids: number,
    width: number,
    height: number,
    from: number,
    to: number,
    edges: number,
    speed: number,
  ): void;
  widenRows(edges: number, width: number, from: number, to: number, radius: number, line: number, out: number): void;
  widenColumns(
    edges: number,
    width: number,
    height: number,
    from: number,
    to: number,
    radius: number,
    out: number,
  ): void;
  followRows(
    table: number,
    width: number,
    height: number,
    from: number,
    to: number,
    seen: number,
    quick: number,
    calm: number,
    mean: number,
    valid: number,
    sureQuick: number,
    sureCalm: number,
    span: number,
  ): void;
  slopes(plane: number, width: number, height: number, from: number, to: number, out: number): void;
  regionSums(
    contrast: number,
    smooth: number,
    valid: number,
    steep: number,
    ids: number,
    map: number,
    certain: number,
    width: number,
    height: number,
    side: number,
    border: number,
    from: number,
    to: number,
    scratch: number,
    out: number,
  ): void;
  toCandela(light: number, count: number, black: number, white: number, out: number): void;
  shrink(plane: number, width: number, height: number, out: number): void;
  enlarge(small: number, width: number, height: number, from: number, to: number, line: number, out: number): void;
  anyAbove(plane: number, count: number, limit: number): number;
  adapt(near: number, mean: number, count: number): void;
  weigh(quick: number, calm: number, adapted: number, count: number, dim: number): void;
  respond(
    quick: number,
    calm: number,
    around: number,
    valid: number,
    quickShare: number,
    calmShare: number,
    aroundShare: number,
    toQuick: number,
    toCalm: number,
    count: number,
    quickSensitivity: number,
    calmSensitivity: number,
    surround: number,
  ): void;
  together(
    quick: number,
    calm: number,
    valid: number,
    poolShare: number,
    count: number,
    gate: number,
    out: number,
  ): void;
  flipOpponents(rgb: number, count: number, light: number, red: number, blue: number): void;
  flipColors(a: number, b: number, stride: number, count: number, largest: number, out: number, work: number): void;
  flipTogether(color: number, edgeA: number, edgeB: number, pointA: number, pointB: number, count: number): void;
  flipFeatures(
    plane: number,
    edges: number,
    points: number,
    width: number,
    height: number,
    weights: number,
    radius: number,
    line: number,
    strips: number,
  ): void;
  flipBlurs(
    plane: number,
    out: number,
    width: number,
    height: number,
    weights: number,
    radius: number,
    shareA: number,
    shareB: number,
    line: number,
    strips: number,
  ): void;
  filterBoth(
    source: number,
    out: number,
    width: number,
    height: number,
    weights: number,
    acrossRadius: number,
    downRadius: number,
    from: number,
    to: number,
    line: number,
    strip: number,
  ): void;
  filterRows(
    source: number,
    out: number,
    width: number,
    height: number,
    weights: number,
    radius: number,
    line: number,
  ): void;
  filterColumns(
    source: number,
    out: number,
    width: number,
    height: number,
    weights: number,
    radius: number,
    from: number,
    to: number,
  ): void;
  bindRays(nodes: number, packets: number, materials: number, kinds: number, stack: number): void;
  closest(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tMin: number,
    tMax: number,
    frontOnly: number,
  ): number;
  measureChunk(positions: number, triangles: number, first: number, end: number, box: number, vertices: number): void;
  binChunk(
    first: number,
    end: number,
    clip: number,
    corners: number,
    materials: number,
    rules: number,
    reach: number,
    width: number,
    height: number,
    shift: number,
    tilesX: number,
    tiles: number,
    starts: number,
    entries: number,
    boxes: number,
  ): void;
  bindCoverage(clip: number, boxes: number, kinds: number, ready: number): void;
  transform(matrix: number, positions: number, clip: number, from: number, to: number): void;
  drawTriangles(
    list: number,
    count: number,
    left: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    depth: number,
    triangle: number,
    stride: number,
    ox: number,
    oy: number,
  ): number;
  drawLayer(
    triangle: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    depth: number,
    layerCount: number,
    layerDepth: number,
    layerTriangle: number,
    limit: number,
    stride: number,
    ox: number,
    oy: number,
  ): void;
  drawDepths(
    list: number,
    count: number,
    left: number,
    solid: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    map: number,
    stride: number,
  ): number;
  drawSheets(
    list: number,
    count: number,
    left: number,
    glass: number,
    tints: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    map: number,
    depth: number,
    colour: number,
    stride: number,
  ): number;
  fillSquare(array: number, stride: number, x0: number, y0: number, x1: number, y1: number, value: number): void;
  finishDepths(
    depths: number,
    pitch: number,
    map: number,
    stride: number,
    codes: number,
    blocks: number,
    across: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
  ): void;
  gatherBeauty(
    sums: number,
    scale: number,
    beauty: number,
    width: number,
    x0: number,
    y0: number,
    x1: number,
    y1: number,
  ): void;
  halveGlow(from: number, width: number, height: number, to: number): void;
  addGlow(
    sharp: number,
    width: number,
    height: number,
    wide: number,
    wideWidth: number,
    wideHeight: number,
    share: number,
  ): void;
  encodeRows(
    beauty: number,
    display: number,
    width: number,
    height: number,
    from: number,
    to: number,
    bloom: number,
    glow: number,
    vignette: number,
    slope2: number,
    neutral: number,
    dither: number,
    curve: number,
  ): void;
  denoiseLevel(
    a: number,
    b: number,
    features: number,
    stride: number,
    width: number,
    height: number,
    strength: number,
    level: number,
    from: number,
    to: number,
  ): void;
  toHalves(from: number, to: number, count: number): void;
  restoreBytes(packed: number, count: number, out: number): void;
  bindScene(table: number, textureBias: number, steady: number): void;
  bindRow(at: number): void;
  bindMaterials(at: number): void;
  bindTriangles(clip: number, kept: number): void;
  bindShadows(depths: number, blocks: number, glassDepth: number, glassTint: number): void;
  bindArea(at: number): void;
  bindLights(lights: number, count: number): void;
  bindEnvironment(
    harmonics: number,
    map: number,
    bounce: number,
    reflections: number,
    sharp: number,
    flats: number,
  ): void;
  bindCamera(
    baseX: number,
    baseY: number,
    baseZ: number,
    x: number,
    y: number,
    z: number,
    forwardX: number,
    forwardY: number,
    forwardZ: number,
    parallel: number,
  ): void;
  bindPicture(sums: number, depth: number, normal: number, objectId: number, width: number, background: number): void;
  bindSky(record: number): void;
  setLit(r: number, g: number, b: number): void;
  setColor(r: number, g: number, b: number): void;
  shadeTile(
    x0: number,
    y0: number,
    x1: number,
    y1: number,
    triangle: number,
    layerCount: number,
    layerTriangle: number,
    layerLimit: number,
    ox: number,
    oy: number,
    share: number,
    first: number,
    beauty: number,
    scale: number,
  ): void;
  bindPaths(at: number): void;
  bindEmitters(at: number): void;
  bindShadowRays(order: number, list: number, most: number, answer: number): void;
  setLens(right: number, up: number): void;
  startPaths(x0: number, y0: number, x1: number, y1: number, sample: number, drawn: number): number;
  lookThroughMiddle(x0: number, y0: number, x1: number, y1: number): void;
  intersectPaths(count: number): void;
  shadePaths(count: number): number;
  occludePaths(): void;
  bringHome(started: number): void;
  reached(): number;
  shadow(
    ox: number,
    oy: number,
    oz: number,
    dx: number,
    dy: number,
    dz: number,
    tMin: number,
    tMax: number,
    list: number,
    most: number,
  ): number;
}

/** Memory that threads can share; where the page may not share any, memory of one thread alone. */
export function sharedBytes(bytes: number): ArrayBufferLike {
  return typeof SharedArrayBuffer === 'undefined' ? new ArrayBuffer(bytes) : new SharedArrayBuffer(bytes);
}

let wanted = true;

/** Whether the compiled loops are used where nobody asks for one kind: off is for comparing. */
export function useKernels(on: boolean): void {
  wanted = on;
}
export function kernelsInUse(): boolean {
  return wanted;
}

const PAGE = 65536;
const MOST_PAGES = 65536;
let compiled: WebAssembly.Module | null | undefined;

/** The compiled loops, to be handed to another thread; null where they cannot be had. */
export function kernelModule(): WebAssembly.Module | null {
  if (compiled !== undefined) return compiled;
  try {
    const text = atob(KERNEL_WASM);
    const bytes = new Uint8Array(text.length);
    for (let i = 0; i < bytes.length; i++) bytes[i] = text.charCodeAt(i);
    compiled = new WebAssembly.Module(bytes);
  } catch {
    // no vector instructions, or compiling is forbidden: the plain loops do the work
    compiled = null;
  }
  return compiled;
}

/** Takes them up from another thread instead of compiling them anew. */
export function adoptKernel(module: WebAssembly.Module): void {
  compiled ??= module;
}

/** Shared memory that the loops can work on, or null where they cannot be had. @param bytes at least so many */
export function createKernelMemory(bytes: number): WebAssembly.Memory | null {
  if (!kernelModule()) return null;
  const pages = Math.max(1, Math.ceil(bytes / PAGE));
  try {
    return new WebAssembly.Memory({ initial: pages, maximum: pages, shared: true });
  } catch {
    return null;
  }
}

/** Shared memory that grows on demand up to what 32-bit addresses reach, or null where the loops cannot be had. */
export function createGrowingMemory(): WebAssembly.Memory | null {
  if (!kernelModule()) return null;
  // the maximum is address space, not memory; where there is little of it, less must do
  for (const maximum of [MOST_PAGES, MOST_PAGES / 4]) {
    try {
      return new WebAssembly.Memory({ initial: 1, maximum, shared: true });
    } catch {
      // try the next
    }
  }
  return null;
}

/** What the loops ask the thread they run on for; whoever starts loops that ask sets these first. */
export interface KernelCalls {
  /** How much of a light arrives at the record's place: answered by `setLit`. */
  arrive: (light: number, whole: number, lx: number, ly: number, lz: number, distance: number, faceCos: number) => void;
  /** The environment in a direction: answered by `setColor`. */
  mirror: (x: number, y: number, z: number) => void;
  /** The background at a place of the picture: answered by `setColor`. */
  backdrop: (px: number, py: number) => void;
  /** Draws a direction of the surroundings from a place: answered as an arrival (core/trace/emitters). */
  drawSky: (x: number, y: number, z: number, u: number, v: number) => void;
  /** The surroundings in a direction and, if asked, the density of drawing it from a place: answered in an arrival. */
  meetSky: (x: number, y: number, z: number, dx: number, dy: number, dz: number, asked: number) => void;
  /** The glowing triangle at a place of their sums, 0 … 1. */
  pickTriangle: (u: number) => number;
  /** A place of the lens: answered by `setLens`. */
  drawLens: (sample: number, seed: number) => void;
  /** Factor for what facets of solid glass pass on among themselves. */
  solidBoost: (ior: number, entering: number, roughness: number, cosine: number) => number;
  /** Traces the shadow ray at an address, on which more lies than can be listed: answered by the light that comes through. */
  passLong: (address: number) => void;
}

const bound = new WeakMap<WebAssembly.Memory, { loops: KernelExports; calls: KernelCalls }>();

function bind(memory: WebAssembly.Memory): { loops: KernelExports; calls: KernelCalls } {
  let held = bound.get(memory);
  if (!held) {
    const module = kernelModule();
    if (!module) throw new Error('The kernel cannot be loaded on this thread.');
    const unset = (): never => {
      throw new Error('The kernel asked for what was not set.');
    };
    const calls: KernelCalls = {
      arrive: unset,
      mirror: unset,
      backdrop: unset,
      drawSky: unset,
      meetSky: unset,
      pickTriangle: unset,
      drawLens: unset,
      solidBoost: unset,
      passLong: unset,
    };
    // through functions that stay, since what answers is set anew for each frame
    const env = {
      memory,
      arrive: (...a) => calls.arrive(...a),
      mirror: (x, y, z) => calls.mirror(x, y, z),
      backdrop: (px, py) => calls.backdrop(px, py),
      drawSky: (x, y, z, u, v) => calls.drawSky(x, y, z, u, v),
      meetSky: (x, y, z, dx, dy, dz, asked) => calls.meetSky(x, y, z, dx, dy, dz, asked),
      pickTriangle: (u) => calls.pickTriangle(u),
      drawLens: (sample, seed) => calls.drawLens(sample, seed),
      solidBoost: (ior, entering, roughness, cosine) => calls.solidBoost(ior, entering, roughness, cosine),
      passLong: (address) => calls.passLong(address),
    } satisfies KernelCalls & { memory: WebAssembly.Memory };
    held = { loops: new WebAssembly.Instance(module, { env }).exports as unknown as KernelExports, calls };
    bound.set(memory, held);
  }
  return held;
}

/** The loops on a memory that this module made, here or on another thread. */
export function bindKernel(memory: WebAssembly.Memory): KernelExports {
  return bind(memory).loops;
}

/** Where the loops on a memory find what they ask for. */
export function kernelCalls(memory: WebAssembly.Memory): KernelCalls {
  return bind(memory).calls;
}

/** A memory with the loops bound to it. */
export interface BoundKernel {
  memory: WebAssembly.Memory;
  loops: KernelExports;
}

/**
 * Keeps one memory for work that comes again.
 * @param mostKept bytes; larger ones are made anew each time
 * @returns what gives memory of at least so many bytes, or null where the loops cannot be had
 */
export function createKernelKeeper(mostKept = Infinity): (bytes: number) => BoundKernel | null {
  let held: BoundKernel | null = null;
  return (bytes) => {
    if (held && held.memory.buffer.byteLength >= bytes) return held;
    const memory = createKernelMemory(bytes);
    if (!memory) return null;
    const own = { memory, loops: bindKernel(memory) };
    held = bytes <= mostKept ? own : null;
    return own;
  };
}

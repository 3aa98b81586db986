/** Looks around from up to LOOKOUT_PLACES places at a time: by the compiled loops, or by their plain twin where there are none. */
import * as O from '@daxel/kernel/generated/layouts/occlusionOrder';
import * as P from '@daxel/kernel/generated/layouts/occlusionPlaces';
import { bindKernel } from '@daxel/kernel/load';
import type { SurfaceRow } from '../method';
import { length } from '../../math/mat4';
import { sobol2 } from '../../math/sobol';
import {
  FOUND_SIZE,
  HorizonSearch,
  PLACE_NORMAL,
  PLACE_PIXEL,
  PLACE_POSITION,
  PLACE_SIZE,
  type DepthField,
  type HorizonOptions,
} from './horizon';

export const LOOKOUT_PLACES = P.PLACES_Y;
/** Bytes that a thread needs for them. */
export const LOOKOUT_BYTES = P.PLACES_BYTES + O.OCCLUSION_ORDER_BYTES;

export class Lookout {
  private readonly columns: Float32Array;
  private readonly seeds: Int32Array;
  private readonly order: Float32Array;
  private readonly marks: Int32Array;
  private readonly loops: ReturnType<typeof bindKernel> | null;
  private search: HorizonSearch | null = null;
  private readonly place = new Float64Array(PLACE_SIZE);
  private readonly found = new Float64Array(FOUND_SIZE);
  private readonly drawn = new Float64Array(2);

  /** @param room LOOKOUT_BYTES of this thread, in the memory where there is one */
  constructor(
    memory: WebAssembly.Memory | null,
    private readonly room: Uint8Array,
  ) {
    const { buffer, byteOffset: at } = room;
    this.columns = new Float32Array(buffer, at, P.PLACES_STRIDE);
    this.seeds = new Int32Array(buffer, at + P.PLACES_SEED * 4, LOOKOUT_PLACES);
    this.order = new Float32Array(buffer, at + P.PLACES_BYTES, O.OCCLUSION_ORDER_STRIDE);
    this.marks = new Int32Array(buffer, at + P.PLACES_BYTES, O.OCCLUSION_ORDER_STRIDE);
    this.loops = memory && bindKernel(memory);
  }

  /** From now on looks through this. @param field with its depth in the memory, where there is one */
  over(field: DepthField, options: HorizonOptions): void {
    const { order, marks, loops } = this;
    if (!loops) {
      this.search = new HorizonSearch(field, options);
      return;
    }
    const { depth, width, height, rays } = field;
    const { perspective, base, origin, right, down, forward } = rays;
    marks[O.OCCLUSION_DEPTH] = depth.byteOffset;
    marks[O.OCCLUSION_WIDTH] = width;
    marks[O.OCCLUSION_HEIGHT] = height;
    marks[O.OCCLUSION_PERSPECTIVE] = perspective ? 1 : 0;
    order.set(perspective ? base : base.map((v, c) => v - origin[c]), O.OCCLUSION_BASE);
    order.set(right, O.OCCLUSION_RIGHT);
    order.set(down, O.OCCLUSION_DOWN);
    order.set(forward, O.OCCLUSION_FORWARD);
    order[O.OCCLUSION_PIXEL] = length(right);
    order[O.OCCLUSION_FARTHEST] = Math.sqrt(width ** 2 + height ** 2);
    order[O.OCCLUSION_RADIUS] = options.radius;
    marks[O.OCCLUSION_DIRECTIONS] = options.directions;
    marks[O.OCCLUSION_STEPS] = options.steps;
  }

  /** How rows of the compiled loops are looked around from, and by which points. */
  forRows({ strength, bent }: { strength: number; bent: boolean }, seed: number, grid: Uint8Array | null): void {
    this.order[O.OCCLUSION_STRENGTH] = strength;
    this.marks[O.OCCLUSION_BENDS] = bent ? 1 : 0;
    this.marks[O.OCCLUSION_SEED] = seed;
    this.marks[O.OCCLUSION_GRID] = grid?.byteOffset ?? 0;
  }

  /** Where the grid's points begin, and how many lie across. */
  toCorner({ left, top, side }: { left: number; top: number; side: number }): void {
    this.marks[O.OCCLUSION_GRID_SIDE] = side;
    this.marks[O.OCCLUSION_GRID_LEFT] = left;
    this.marks[O.OCCLUSION_GRID_TOP] = top;
  }

  /** Writes openness and bent normals of the row that the loops are at. @param offset from the eye to where its places are told from */
  lookFromRow({ px, py }: Pick<SurfaceRow, 'px' | 'py'>, offset: readonly number[], number: number): void {
    this.order.set(offset, O.OCCLUSION_OFFSET);
    const at = this.room.byteOffset;
    this.loops!.occludeRow(at, at + P.PLACES_BYTES, number, px, py);
  }

  /** Puts a place where `look` finds it. @param i its number, below LOOKOUT_PLACES @param place PLACE_SIZE numbers */
  put(i: number, place: Float64Array, seed: number): void {
    const { columns } = this;
    columns[P.PLACES_X + i] = place[PLACE_PIXEL];
    columns[P.PLACES_Y + i] = place[PLACE_PIXEL + 1];
    for (let c = 0; c < 3; c++) {
      columns[P.PLACES_POSITION + c * LOOKOUT_PLACES + i] = place[PLACE_POSITION + c];
      columns[P.PLACES_NORMAL + c * LOOKOUT_PLACES + i] = place[PLACE_NORMAL + c];
    }
    this.seeds[i] = seed;
  }

  /** Looks around from the first `count` places. @param number of the sample: each looks other ways */
  look(count: number, number: number): void {
    const { loops, room, place, columns, found, drawn } = this;
    if (loops) {
      const at = room.byteOffset;
      loops.lookAround(at, at + P.PLACES_BYTES, Math.ceil(count / 4), number);
      return;
    }
    for (let i = 0; i < count; i++) {
      place[PLACE_PIXEL] = columns[P.PLACES_X + i];
      place[PLACE_PIXEL + 1] = columns[P.PLACES_Y + i];
      for (let c = 0; c < 3; c++) {
        place[PLACE_POSITION + c] = columns[P.PLACES_POSITION + c * LOOKOUT_PLACES + i];
        place[PLACE_NORMAL + c] = columns[P.PLACES_NORMAL + c * LOOKOUT_PLACES + i];
      }
      sobol2(number, this.seeds[i], drawn);
      this.search!.look(place, drawn[0], drawn[1], found);
      for (let c = 0; c < FOUND_SIZE; c++) columns[P.PLACES_OPEN + c * LOOKOUT_PLACES + i] = found[c];
    }
  }

  /** What was found at a place. @param out FOUND_SIZE numbers, from `at` on */
  take(i: number, out: Float64Array, at = 0): void {
    for (let c = 0; c < FOUND_SIZE; c++) out[at + c] = this.columns[P.PLACES_OPEN + c * LOOKOUT_PLACES + i];
  }
}

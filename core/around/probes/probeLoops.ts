/** The compiled loops that ask probes for a whole row: see `askBox`, which says how it is done. */
import * as O from '@daxel/kernel/generated/layouts/probeOrder';
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { bindKernel, type KernelExports } from '@daxel/kernel/load';
import type { ProbeBox } from './box';
import { OFF_SURFACE } from './gather';

/** Boxes that there may be: the fine one, and that of the scene. */
const MOST_BOXES = 2;
/** Bytes that each thread needs for itself. */
export const ORDERS_BYTES = MOST_BOXES * O.PROBE_ORDER_BYTES;

export class ProbeLoops {
  private readonly loops: KernelExports;
  /** One a box. */
  private readonly orders: readonly Float32Array[];
  private readonly boxes: readonly ProbeBox[];
  private base: readonly number[] = [NaN, NaN, NaN];

  /** @param room ORDERS_BYTES of this thread; it and the probes are views of the memory */
  constructor(
    memory: WebAssembly.Memory,
    { buffer, byteOffset }: Uint8Array,
    { boxes, after }: { boxes: readonly ProbeBox[]; after: boolean },
    probes: Float32Array,
  ) {
    this.boxes = boxes;
    this.loops = bindKernel(memory);
    this.orders = boxes.map(({ counts, step, first }, i) => {
      const order = new Float32Array(buffer, byteOffset + i * O.PROBE_ORDER_BYTES, O.PROBE_ORDER_STRIDE);
      const marks = new Int32Array(buffer, order.byteOffset, order.length);
      marks[O.PROBES_FIRST] = probes.byteOffset + first * PROBE_STRIDE * 4;
      marks.set(counts, O.PROBES_COUNT);
      order.set(step, O.PROBES_STEP);
      marks[O.PROBES_AFTER] = after && i === 0 ? 1 : 0;
      order[O.PROBES_OFF] = OFF_SURFACE * Math.min(...step);
      return order;
    });
  }

  /** Fills the row that the loops are at. @param base from where its places are told, metres in the world */
  ask(base: readonly number[]): void {
    if (base.some((b, c) => b !== this.base[c])) this.tellFrom(base);
    for (const order of this.orders) this.loops.askProbes(order.byteOffset);
  }

  private tellFrom(base: readonly number[]): void {
    this.base = [...base];
    this.orders.forEach((order, i) => {
      const { min, max } = this.boxes[i];
      order.set(base, O.PROBES_BASE);
      for (let c = 0; c < 3; c++) {
        order[O.PROBES_MIN + c] = min[c] - base[c];
        order[O.PROBES_MAX + c] = max[c] - base[c];
      }
    });
  }
}

/** Many 16-bit floats at once: by the compiled loop where it can be had, else one by one, to the same bits. */
import { createKernelKeeper } from '@daxel/kernel/load';
import { toHalf } from './half';

const keeper = createKernelKeeper(1 << 20);

/**
 * @param most numbers that are converted at once
 * @param compiled false for the plain loop
 * @returns what takes up to `most` numbers and gives as many halves, valid until the next call
 */
export function halfConverter(most: number, compiled = true): (values: Float32Array) => Uint16Array {
  const room = Math.ceil(most / 4) * 4;
  const kernel = compiled ? keeper(room * 6) : null;
  if (!kernel) {
    const halves = new Uint16Array(room);
    return (values) => {
      for (let i = 0; i < values.length; i++) halves[i] = toHalf(values[i]);
      return halves.subarray(0, values.length);
    };
  }
  const { buffer } = kernel.memory;
  const floats = new Float32Array(buffer, 0, room);
  const halves = new Uint16Array(buffer, room * 4, room);
  return (values) => {
    floats.set(values);
    kernel.loops.toHalves(0, room * 4, values.length);
    return halves.subarray(0, values.length);
  };
}

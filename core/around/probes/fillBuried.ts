/** Probes in walls take what their neighbours see, so that a place between walls is not left dark. */
import { PROBE_DEPTH, PROBE_LIGHT, PROBE_STATE, PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import type { ProbeBox } from './box';
import { PROBE_BURIED } from './probeState';

const NUMBERS = PROBE_DEPTH - PROBE_LIGHT;

/** Round by round from those that see anything: each takes the mean of its neighbours that have light already. */
export function fillBuried({ counts, first }: ProbeBox, probes: Float32Array): void {
  const [nx, ny, nz] = counts;
  const all = nx * ny * nz;
  const lit = Uint8Array.from({ length: all }, (_, i) =>
    probes[(first + i) * PROBE_STRIDE + PROBE_STATE] === PROBE_BURIED ? 0 : 1,
  );
  const lightAt = (i: number): number => (first + i) * PROBE_STRIDE + PROBE_LIGHT;
  for (let left = true; left;) {
    const ready: number[] = [];
    for (let i = 0; i < all; i++) {
      if (lit[i] === 1) continue;
      const [x, y, z] = [i % nx, Math.floor(i / nx) % ny, Math.floor(i / (nx * ny))];
      const beside = [
        ...(x > 0 ? [i - 1] : []),
        ...(x < nx - 1 ? [i + 1] : []),
        ...(y > 0 ? [i - nx] : []),
        ...(y < ny - 1 ? [i + nx] : []),
        ...(z > 0 ? [i - nx * ny] : []),
        ...(z < nz - 1 ? [i + nx * ny] : []),
      ].filter((n) => lit[n] === 1);
      if (beside.length === 0) continue;
      for (let k = 0; k < NUMBERS; k++)
        probes[lightAt(i) + k] = beside.reduce((sum, n) => sum + probes[lightAt(n) + k], 0) / beside.length;
      ready.push(i);
    }
    for (const i of ready) lit[i] = 1;
    left = ready.length > 0;
  }
}

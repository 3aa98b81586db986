/** The native contender of bench rays: Debian's libembree-dev, compiled when a compiler and its headers are there. */
import { execFileSync } from 'node:child_process';
import { existsSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join, resolve } from 'node:path';
import { fileURLToPath } from 'node:url';

const HEADER = '/usr/include/embree3/rtcore.h';
/** From build/server, where this is bundled to, or from bench. */
const SOURCES = ['../../bench/native/rays.c', './native/rays.c'].map((p) =>
  resolve(fileURLToPath(new URL('.', import.meta.url)), p),
);

export interface RaySet {
  /** Origin and direction, six numbers a ray. */
  rays: Float64Array;
  anyHit: boolean;
}

/** @returns milliseconds of building and of each set, or in words why there are none */
export function nativeTimes(
  positions: Float32Array,
  triangles: Uint32Array,
  sets: readonly RaySet[],
): number[] | string {
  const source = SOURCES.find(existsSync);
  if (!existsSync(HEADER) || !source) return "Debian's libembree-dev is not installed";
  const folder = mkdtempSync(join(tmpdir(), 'daxel-rays-'));
  try {
    const program = join(folder, 'rays');
    execFileSync('cc', ['-O3', '-o', program, source, '-lembree3'], { stdio: 'pipe' });
    const most = Math.max(...sets.map((s) => s.rays.length / 6));
    const parts: ArrayBufferView[] = [
      Uint32Array.of(positions.length / 3, triangles.length / 3, sets.length, most),
      positions,
      triangles,
    ];
    for (const { rays, anyHit } of sets)
      parts.push(Uint32Array.of(rays.length / 6, anyHit ? 1 : 0), Float32Array.from(rays));
    const file = join(folder, 'rays.bin');
    writeFileSync(file, Buffer.concat(parts.map((p) => Buffer.from(p.buffer, p.byteOffset, p.byteLength))));
    return JSON.parse(execFileSync(program, [file], { encoding: 'utf8' })) as number[];
  } catch (error) {
    return `it could not be compiled or run: ${(error as Error).message.split('\n')[0]}`;
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
}

import { createKernelMemory } from '@daxel/kernel/load';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomStream } from '../../math/random';
import { rayFrame } from '../../scene/camera';
import { within } from '../../testing/anything';
import { cases } from '../../testing/cases';
import { cameraAt } from '../../testing/scenes';
import { FOUND_SIZE, PLACE_NORMAL, PLACE_POSITION, PLACE_SIZE } from './horizon';
import { Lookout, LOOKOUT_BYTES, LOOKOUT_PLACES } from './lookout';

const [WIDTH, HEIGHT] = [48, 32];

describe('the compiled loops', () => {
  it('find what their plain twin does, over any depths, from any place, by any camera', () => {
    const memory = createKernelMemory(1 << 16)!;
    const depth = new Float32Array(memory.buffer, 0, WIDTH * HEIGHT);
    const room = new Uint8Array(memory.buffer, 1 << 13, LOOKOUT_BYTES);
    const wishes = fc.record({
      seed: fc.nat(1e6),
      rough: within(0, 1),
      fov: within(10, 100),
      parallel: fc.boolean(),
      options: fc.record({
        radius: within(0.1, 20),
        directions: fc.constantFrom(1, 2, 5),
        steps: fc.constantFrom(2, 7, 16),
      }),
      number: fc.nat(5000),
      count: fc.integer({ min: 1, max: LOOKOUT_PLACES }),
    });
    fc.assert(
      fc.property(wishes, ({ seed, rough, fov, parallel, options, number, count }) => {
        const random = randomStream(seed);
        const seen = cameraAt([random() * 9, 4, 5], [0, random(), 0], fov);
        const camera = parallel ? { ...seen, lens: { ...seen.lens, kind: 'orthographic' as const, ymag: 3 } } : seen;
        const rays = rayFrame(camera, WIDTH, HEIGHT);
        // some pixels see nothing
        for (let i = 0; i < depth.length; i++) depth[i] = random() < 0.1 ? 0 : 4 + rough * random();
        const places = Array.from({ length: count }, () => {
          const [x, y] = [random() * WIDTH, random() * HEIGHT];
          const d = 4 + rough * random();
          const place = new Float64Array(PLACE_SIZE);
          place.set([x, y]);
          const normal = [random() - 0.5, random() - 0.5, random() - 0.5];
          const length = Math.hypot(...normal);
          for (let c = 0; c < 3; c++) {
            const ray = rays.base[c] + x * rays.right[c] + y * rays.down[c];
            place[PLACE_POSITION + c] = rays.perspective ? ray * d : ray - rays.origin[c] + rays.forward[c] * d;
            place[PLACE_NORMAL + c] = normal[c] / length;
          }
          return place;
        });
        const [compiled, plain] = [memory, null].map((of) => {
          const lookout = new Lookout(of, room);
          lookout.over({ depth, width: WIDTH, height: HEIGHT, rays }, options);
          places.forEach((place, i) => lookout.put(i, place, i * 7));
          lookout.look(count, number);
          const found = new Float64Array(count * FOUND_SIZE);
          for (let i = 0; i < count; i++) lookout.take(i, found, i * FOUND_SIZE);
          return found;
        });
        // a step that falls on the edge of a pixel may fall to either side: hardly any place is beside one
        const apart = compiled.filter((v, k) => !(Math.abs(v - plain[k]) < 2e-3));
        expect(compiled.every(Number.isFinite)).toBe(true);
        expect(apart.length).toBeLessThanOrEqual(Math.max(FOUND_SIZE * 2, compiled.length * 0.05));
      }),
      { numRuns: cases(60) },
    );
  });
});

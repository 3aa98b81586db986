import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { LIGHT_SUN } from '../light/frameLight';
import { randomStream } from '../math/random';
import { worldToPixels, type CameraView } from '../scene/camera';
import { compileScene } from '../scene/compileScene';
import { poseNodes } from '../scene/pose';
import { triple, within } from '../testing/anything';
import { addNode, cameraAt, DOWN, light, mapCamera, quad, sceneOf } from '../testing/scenes';
import { askedTiles, type Seen } from './askedTiles';
import { planShadows, type ShadowPlan } from './planShadows';
import { shadowAt, type ShadowReading } from './shadowAt';
import { blocksAcross, SHADOW_BLOCK_SHIFT, SHADOW_TILE_SHIFT, type ShadowMemory } from './shadowMap';
import { cases } from '../testing/cases';

const [WIDTH, HEIGHT] = [160, 90];
const HARD: ShadowReading = {
  ...{ filter: 'hard', taps: 1, radius: 0, automatic: true, slopeBias: 1, normalOffset: 1, leak: 0, blend: 0.1 },
};

const WHOLE = { x: 0, y: 0, width: WIDTH, height: HEIGHT };
function seenBy(camera: CameraView, bounds: Seen['bounds'], parts: Seen['parts'] = [WHOLE]): Seen {
  return {
    toPixels: worldToPixels(camera, WIDTH, HEIGHT),
    parts,
    reach: 2,
    bounds,
  };
}

/** A floor of 12 × 12 m, with another as high above it as said, under a light, and what its maps are. */
function planOf(
  kind: 'sun' | 'point' | 'spot' | 'area',
  camera: CameraView,
  translation: [number, number, number],
  rotation: [number, number, number, number] = DOWN,
  cascades = 1,
  height = 3,
): { plan: ShadowPlan; bounds: Seen['bounds'] } {
  const source = sceneOf([quad(6), quad(6, height)]);
  const more = {
    castsShadow: true,
    outerConeRad: 1.1,
    radius: 0.05,
    angularDiameterRad: 0.02,
    shape: 'square' as const,
  };
  source.lights = [light(kind, 10, { ...more, width: 0.3 })];
  addNode(source, { light: 0, translation, rotation });
  const scene = compileScene(source);
  const plan = planShadows(scene.meta.lights, scene.meta.bounds, poseNodes(scene, 0), camera, WIDTH / HEIGHT, {
    ...{ traced: false, lightSamples: 1, resolution: 640, localResolution: 384, distance: 20, start: 0, cascades },
    ...{ split: 0.7, blend: 0.1, depthCodes: 0, mayEstimate: true },
    automatic: { edgeNoise: 0.04, samples: 1, height: HEIGHT },
  });
  return { plan, bounds: scene.meta.bounds };
}

/** Maps in which nothing is in the way where they are asked, and everything elsewhere. */
function mapsOf(plan: ShadowPlan, seen: Seen, reading: ShadowReading): { memory: ShadowMemory; share: number } {
  const shadowTexels = new Float32Array(plan.all.texels).fill(1);
  const shadowBlocks = new Float32Array(plan.all.blocks * 2).fill(1);
  let [asked, all] = [0, 0];
  for (const view of new Set(plan.lights[0].maps)) {
    const { resolution: n } = view;
    const tiles = askedTiles(seen, view, reading);
    const across = Math.sqrt(tiles.length);
    const isAsked = (x: number, y: number): boolean =>
      tiles[(y >> SHADOW_TILE_SHIFT) * across + (x >> SHADOW_TILE_SHIFT)] === 1;
    for (let y = 0; y < n; y++)
      for (let x = 0; x < n; x += 128)
        if (isAsked(x, y)) shadowTexels.fill(0, view.offset + y * n + x, view.offset + y * n + Math.min(n, x + 128));
    const blocks = blocksAcross(n);
    for (let b = 0; b < blocks * blocks; b++)
      if (isAsked((b % blocks) << SHADOW_BLOCK_SHIFT, Math.floor(b / blocks) << SHADOW_BLOCK_SHIFT))
        shadowBlocks.fill(0, (view.blockOffset + b) * 2, (view.blockOffset + b) * 2 + 2);
    asked += tiles.reduce((sum, t) => sum + t, 0);
    all += tiles.length;
  }
  const none = new Float32Array(0);
  const memory = { shadowTexels, shadowBlocks, glassDepth: none, glassTint: new Uint32Array(0), moments: none };
  return { memory, share: asked / all };
}

const anyReading = fc.record({
  filter: fc.constantFrom('hard' as const, 'pcf' as const, 'soft' as const),
  taps: fc.constantFrom(1, 2, 3, 5, 9),
  radius: within(0.5, 6),
  automatic: fc.boolean(),
  slopeBias: within(0, 2),
  normalOffset: within(0, 3),
  leak: fc.constant(0),
  blend: fc.constant(0.1),
});

const anyPart = fc.record({
  x: fc.integer({ min: 0, max: WIDTH - 8 }),
  y: fc.integer({ min: 0, max: HEIGHT - 8 }),
  width: fc.integer({ min: 1, max: WIDTH / 4 }),
  height: fc.integer({ min: 1, max: Math.floor(HEIGHT / 4) }),
});

describe('the tiles of a map that a picture may ask', () => {
  it('hold all that places in the picture read, whatever the light, the filter and the camera', () => {
    let shares = 0;
    let runs = 0;
    fc.assert(
      fc.property(
        fc.constantFrom('sun' as const, 'point' as const, 'spot' as const, 'area' as const),
        fc.record({ eye: triple(within(-5, 5)), at: triple(within(-3, 3)), fov: within(3, 70), flat: fc.boolean() }),
        fc.record({
          place: triple(within(-5, 5)),
          turn: triple(within(-1, 1)),
          cascades: fc.constantFrom(1, 3),
          height: fc.constantFrom(0, 3),
        }),
        anyReading,
        fc.option(fc.array(anyPart, { minLength: 1, maxLength: 3 }), { nil: [WHOLE] }),
        fc.integer({ min: 1, max: 1e6 }),
        (kind, { eye, at, fov, flat }, { place, turn, cascades, height }, reading, parts, seed) => {
          fc.pre(Math.hypot(eye[0] - at[0], eye[2] - at[2]) > 0.1);
          const perspective = cameraAt(eye, at, fov);
          const camera: CameraView = flat
            ? { ...perspective, lens: { ...perspective.lens, kind: 'orthographic', ymag: fov / 20 } }
            : perspective;
          const l = Math.hypot(...turn, 0.3);
          const [a, b, c] = turn.map((t) => t / l);
          const { plan, bounds } = planOf(kind, camera, place, [a, b, c, 0.3 / l], cascades, height);
          const seen = seenBy(camera, bounds, parts);
          const [lamp] = plan.lights;
          const { memory, share } = mapsOf(plan, seen, reading);
          shares += share;
          runs++;
          const random = randomStream(seed);
          const out = new Float64Array(3);
          const m = seen.toPixels;
          for (let k = 0; k < 3000; k++) {
            const [x, y, z] = [0, 1, 2].map((c) => bounds.min[c] + (bounds.max[c] - bounds.min[c]) * random());
            const [X, Y, Z, W] = [0, 4, 8, 12].map((r) => m[r] * x + m[r + 1] * y + m[r + 2] * z + m[r + 3]);
            const shown = parts.some(
              (p) =>
                X > (p.x - 2) * W && X < (p.x + p.width + 2) * W && Y > (p.y - 2) * W && Y < (p.y + p.height + 2) * W,
            );
            if (Z > W || !shown) continue;
            const to =
              lamp.kind === LIGHT_SUN ? [-lamp.dx, -lamp.dy, -lamp.dz] : [lamp.px - x, lamp.py - y, lamp.pz - z];
            const distance = Math.hypot(...to);
            const towards = to.map((c) => c / distance);
            let normal = [random() - 0.5, random() - 0.5, random() - 0.5];
            normal = normal.map((c) => c / Math.hypot(...normal));
            const facing = normal.reduce((sum, c, i) => sum + c * towards[i], 0);
            if (facing < 0) normal = normal.map((c) => -c);
            const [fx, fy, fz] = normal;
            const w = camera.world;
            const viewDistance = -(w[8] * (x - eye[0]) + w[9] * (y - eye[1]) + w[10] * (z - eye[2]));
            const ahead = { x, y, z, fx, fy, fz, viewDistance };
            const [lx, ly, lz] = towards;
            shadowAt(memory, reading, lamp, ahead, lx, ly, lz, distance, Math.min(1, Math.abs(facing)), out);
            expect(out[0]).toBeCloseTo(1, 9);
          }
        },
      ),
      { numRuns: cases(60) },
    );
    // it would hold as well if all were asked
    expect(shares / runs).toBeLessThan(0.8);
  });

  it('are fewer for parts of the picture, and none beside those of the whole', () => {
    const camera = mapCamera(5, 2);
    const { plan, bounds } = planOf('sun', camera, [0, 0, 0]);
    const [view] = plan.lights[0].maps;
    const corners = [
      { x: 0, y: 0, width: 8, height: 8 },
      { x: WIDTH - 8, y: HEIGHT - 8, width: 8, height: 8 },
    ];
    const [one, other, both, whole] = [[corners[0]], [corners[1]], corners, [WHOLE]].map((parts) =>
      askedTiles(seenBy(camera, bounds, parts), view, HARD),
    );
    const count = (tiles: Uint8Array): number => tiles.reduce((sum, t) => sum + t, 0);
    expect(count(one)).toBeGreaterThan(0);
    expect(count(both)).toBeLessThan(count(whole));
    both.forEach((asked, i) => expect(asked).toBe(Math.max(one[i], other[i])));
    both.forEach((asked, i) => expect(asked).toBeLessThanOrEqual(whole[i]));
  });

  it('are those under the picture of a camera that looks the way the sun shines', () => {
    const camera = mapCamera(5, 2);
    const { plan, bounds } = planOf('sun', camera, [0, 0, 0]);
    const [view] = plan.lights[0].maps;
    const tiles = askedTiles(seenBy(camera, bounds), view, HARD);
    const across = Math.sqrt(tiles.length);
    const { matrix: m, texelSize } = view;
    // the camera looks at the origin
    const half = [(2 * WIDTH) / HEIGHT, 2].map((metres) => metres / texelSize);
    const meets = (tile: number, axis: number, more: number): boolean => {
      const from = (tile << SHADOW_TILE_SHIFT) - m[axis * 4 + 3];
      return from < half[axis] + more && from + (1 << SHADOW_TILE_SHIFT) > -half[axis] - more;
    };
    tiles.forEach((asked, i) => {
      const both = (more: number): boolean => meets(i % across, 0, more) && meets(Math.floor(i / across), 1, more);
      // two pixels of samples beyond the border, and what a hard comparison may read around its place
      if (asked === 1) expect(both(24)).toBe(true);
      else expect(both(0)).toBe(false);
    });
    expect(tiles).toContain(0);
    expect(tiles).toContain(1);
  });

  it('are none where the lamp shines on nothing that is seen', () => {
    // looking down at the floor's corner; the lamp hangs far beside and its face in −x looks away from there
    const camera = cameraAt([5, 2, 5], [5.5, 0, 5.5], 20);
    const { plan, bounds } = planOf('point', camera, [-4, 1.5, -4]);
    const faces = plan.lights[0].maps.map((view) => askedTiles(seenBy(camera, bounds), view, HARD));
    const asked = faces.map((tiles) => tiles.some((t) => t === 1));
    // +x and +z look there
    expect(asked).toEqual([true, false, false, false, true, false]);
  });

  it('are all of a map of moments', () => {
    const camera = mapCamera(5, 1);
    const { plan, bounds } = planOf('sun', camera, [0, 0, 0]);
    const moments = askedTiles(seenBy(camera, bounds), plan.lights[0].maps[0], { ...HARD, filter: 'moment' });
    expect(moments).not.toContain(0);
  });
});

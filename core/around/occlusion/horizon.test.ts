import { describe, expect, it } from 'vitest';
import { randomStream } from '../../math/random';
import { sobol2 } from '../../math/sobol';
import { rayFrame, type CameraView, type RayFrame } from '../../scene/camera';
import { cameraAt } from '../../testing/scenes';
import { FOUND_LEAN, FOUND_OPEN, FOUND_SIZE, HorizonSearch, type DepthField, type HorizonOptions } from './horizon';

const [WIDTH, HEIGHT] = [320, 240];
type Vec = readonly [number, number, number];
type Surface = (from: Vec, way: Vec) => { distance: number; normal: Vec } | null;

const dot = (a: Vec, b: Vec): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const along = (a: Vec, b: Vec, t: number): Vec => [a[0] + b[0] * t, a[1] + b[1] * t, a[2] + b[2] * t];

/** A plane through the point n · d, where a rule holds. */
const plane =
  (normal: Vec, d: number, holds: (p: Vec) => boolean = () => true): Surface =>
  (from, way) => {
    const across = dot(way, normal);
    const distance = (d - dot(from, normal)) / across;
    if (!(distance > 1e-9) || !holds(along(from, way, distance))) return null;
    return { distance, normal: across < 0 ? normal : [-normal[0], -normal[1], -normal[2]] };
  };
const ball =
  (centre: Vec, radius: number): Surface =>
  (from, way) => {
    const o: Vec = [from[0] - centre[0], from[1] - centre[1], from[2] - centre[2]];
    const b = dot(o, way);
    const q = b * b - (dot(o, o) - radius * radius);
    const distance = -b - Math.sqrt(q);
    if (!(q > 0) || !(distance > 1e-6)) return null;
    const p = along(o, way, distance);
    return { distance, normal: [p[0] / radius, p[1] / radius, p[2] / radius] };
  };
const nearest =
  (...all: Surface[]): Surface =>
  (from, way) =>
    all
      .map((s) => s(from, way))
      .reduce((best, hit) => (hit && (!best || hit.distance < best.distance) ? hit : best), null);

function rayAt(rays: RayFrame, x: number, y: number): { from: Vec; way: Vec; scale: number } {
  const d = [0, 1, 2].map((c) => rays.base[c] + x * rays.right[c] + y * rays.down[c]);
  if (!rays.perspective) return { from: d as unknown as Vec, way: rays.forward as unknown as Vec, scale: 1 };
  const length = Math.hypot(...d);
  return { from: rays.origin as unknown as Vec, way: d.map((v) => v / length) as unknown as Vec, scale: 1 / length };
}

function fieldOf(scene: Surface, camera: CameraView): DepthField {
  const rays = rayFrame(camera, WIDTH, HEIGHT);
  const depth = new Float32Array(WIDTH * HEIGHT);
  for (let i = 0; i < depth.length; i++) {
    const { from, way, scale } = rayAt(rays, (i % WIDTH) + 0.5, Math.floor(i / WIDTH) + 0.5);
    depth[i] = (scene(from, way)?.distance ?? 0) * scale;
  }
  return { depth, width: WIDTH, height: HEIGHT, rays };
}

/** Mean over many samples of what is found at a place of the picture. */
function found(scene: Surface, camera: CameraView, [x, y]: readonly number[], options: HorizonOptions, samples = 256) {
  const field = fieldOf(scene, camera);
  const { rays } = field;
  const { from, way } = rayAt(rays, x, y);
  const hit = scene(from, way)!;
  const p = along(from, way, hit.distance);
  const place = Float64Array.of(x, y, ...p.map((v, c) => v - rays.origin[c]), ...hit.normal);
  const search = new HorizonSearch(field, options);
  const [out, sum, pair] = [new Float64Array(FOUND_SIZE), new Float64Array(FOUND_SIZE), new Float64Array(2)];
  for (let s = 0; s < samples; s++) {
    sobol2(s, 7, pair);
    search.look(place, pair[0], pair[1], out);
    out.forEach((v, k) => (sum[k] += v / samples));
  }
  const bent = hit.normal.map((v, c) => (v * 2) / 3 + sum[FOUND_LEAN + c]);
  return { p, normal: hit.normal, open: sum[FOUND_OPEN], bent };
}

/** The same by rays over the hemisphere, each kept out by what it meets as much as the search fades it. */
function traced(scene: Surface, p: Vec, normal: Vec, radius: number, count = 40_000) {
  const random = randomStream(3);
  const bent = [0, 0, 0];
  let open = 0;
  const up: Vec = Math.abs(normal[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0];
  const t = [
    up[1] * normal[2] - up[2] * normal[1],
    up[2] * normal[0] - up[0] * normal[2],
    up[0] * normal[1] - up[1] * normal[0],
  ];
  const length = Math.hypot(...t);
  const a = t.map((v) => v / length) as unknown as Vec;
  const b: Vec = [
    normal[1] * a[2] - normal[2] * a[1],
    normal[2] * a[0] - normal[0] * a[2],
    normal[0] * a[1] - normal[1] * a[0],
  ];
  for (let k = 0; k < count; k++) {
    const r = Math.sqrt(random());
    const angle = 2 * Math.PI * random();
    const z = Math.sqrt(1 - r * r);
    const way = [0, 1, 2].map((c) => a[c] * r * Math.cos(angle) + b[c] * r * Math.sin(angle) + normal[c] * z);
    const hit = scene(along(p, normal, 1e-6), way as unknown as Vec);
    const keptOut = hit ? Math.min(1, Math.max(0, 2 - (2 * hit.distance) / radius)) : 0;
    open += (1 - keptOut) / count;
    for (let c = 0; c < 3; c++) bent[c] += ((1 - keptOut) * way[c]) / count;
  }
  return { open, bent };
}

const floor = plane([0, 1, 0], 0);
const FINE: HorizonOptions = { radius: 1000, directions: 8, steps: 48 };

describe('openness by horizons', () => {
  it('is whole on a plane by itself, from wherever it is seen, however few lines are looked along', () => {
    for (const from of [
      [0, 5, 5],
      [3, 0.4, 6],
      [0, 8, 0.1],
    ])
      for (const place of [
        [160.3, 170.8],
        [40.1, 200.2],
      ]) {
        const { open, bent } = found(
          floor,
          cameraAt(from, [0, 0, 0], 40),
          place,
          { radius: 3, directions: 1, steps: 8 },
          8,
        );
        expect(open).toBeCloseTo(1, 6);
        expect(bent[1]).toBeCloseTo(2 / 3, 6);
      }
  });

  it.each([0.2, 0.5, 1])('is on a floor %f m before a high wall what the form factor of that wall leaves', (d) => {
    // Siegel & Howell: of a strip along an infinite wall of height h, ½ (1 − d / √(d² + h²))
    const h = 1.5;
    const wall = plane([0, 0, 1], 0, ([, y]) => y >= 0 && y <= h);
    const scene = nearest(floor, wall);
    const camera = cameraAt([0, 3, 3], [0, 0, d], 110);
    const { open } = found(scene, camera, [160, 120], FINE);
    expect(open).toBeGreaterThan(1 - 0.5 * (1 - d / Math.hypot(d, h)) - 0.02);
    expect(open).toBeLessThan(1 - 0.5 * (1 - d / Math.hypot(d, h)) + 0.02);
  });

  it.each([0.6, 1.2, 2.5])('is under a ball beside %f m what its form factor leaves', (aside) => {
    // a ball that is wholly above the floor's horizon: cos θ (R / distance)²
    const [radius, height] = [0.5, 1];
    const scene = nearest(floor, ball([0, height, 0], radius));
    const camera = cameraAt([aside, 1.2, 4], [aside, 0.0, 0], 40);
    const distance = Math.hypot(aside, height);
    const exact = 1 - (height / distance) * (radius / distance) ** 2;
    const { open } = found(scene, camera, [160, 120], FINE);
    // a depth picture shows one face of a ball: what is behind it counts as filled
    expect(open).toBeLessThan(exact + 0.02);
    expect(open).toBeGreaterThan(exact - 0.12);
  });

  it('counts things as far as its radius goes, and leans to where it is open, as rays over the hemisphere do', () => {
    const scene = nearest(floor, plane([0, 0, 1], -1), plane([1, 0, 0], -1));
    const camera = cameraAt([4, 5, 6], [0, 0, 0], 40);
    for (const radius of [0.8, 2, 5])
      for (const place of [
        [160, 120],
        [130, 118],
        [175, 100],
      ]) {
        const { p, normal, open, bent } = found(scene, camera, place, { radius, directions: 8, steps: 32 });
        const exact = traced(scene, p, normal, radius);
        expect(Math.abs(open - exact.open)).toBeLessThan(0.04);
        for (let c = 0; c < 3; c++) expect(Math.abs(bent[c] - exact.bent[c])).toBeLessThan(0.04);
      }
  });
});

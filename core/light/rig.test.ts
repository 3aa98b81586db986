import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { RenderPool } from '../frame/renderPool';
import { createLocalPort } from '../frame/localPort';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { addNode, cameraAt, DOWN, environment, light, quad, sceneOf } from '../testing/scenes';
import { blendRigs, newLight, rig, rigLighting, sceneRig, sunAngles, sunDirection, type Rig } from './rig';
import { cases } from '../testing/cases';

function lampScene() {
  const source = sceneOf([quad(3)]);
  source.environment = environment(0.4);
  source.lights = [light('sun', 3), light('point', 8), light('area', 20, { shape: 'disc', width: 0.5 })];
  addNode(source, { name: 'sun', light: 0, rotation: DOWN });
  addNode(source, { name: 'lamp', light: 1, translation: [1, 2, 0] });
  addNode(source, { name: 'panel', light: 2, rotation: DOWN, translation: [0, 2, 0] });
  return compileScene(source);
}

async function pictureOf(scene: ReturnType<typeof compileScene>, r: Rig | null): Promise<number[]> {
  const pool = new RenderPool([createLocalPort(() => performance.now())]);
  pool.setScene('s', toShared(packScene(scene)));
  const frame = await pool.render({
    sceneId: 's',
    recipe: {
      ...resolveRecipe({ name: 't', draft: {}, final: {} }, 'draft'),
      'output.width': 48,
      'output.height': 32,
      'samples.pixel': 1,
    },
    camera: cameraAt([0, 2, 4], [0, 0, 0]),
    timeSeconds: 0,
    seed: 1,
    ...(r && { lighting: rigLighting(r, scene.meta).lighting }),
  }).promise;
  return Array.from(frame.views.beauty);
}

describe('the rig of a scene', () => {
  it('is a valid rig and lights exactly as the scene does', async () => {
    const scene = lampScene();
    const own = sceneRig(scene);
    expect(JSON.stringify(rig.parse(JSON.parse(JSON.stringify(own))))).toBe(JSON.stringify(own));
    expect(await pictureOf(scene, own)).toEqual(await pictureOf(scene, null));
  });

  it('stays where it was when its nodes are gone, and says whose', async () => {
    const scene = lampScene();
    const own = sceneRig(scene);
    const meta = { ...scene.meta, lights: scene.meta.lights.filter((l) => l.kind !== 'point') };
    const { lighting, lost } = rigLighting(own, meta);
    expect(lost).toEqual(['point']);
    expect(lighting.lights[1].node).toBe(-1);
    expect(lighting.lights[1].place?.position).toEqual([1, 2, 0]);
  });

  it('shines with soloed lights alone, and never with those that are off', () => {
    const { meta } = lampScene();
    const r = sceneRig(lampScene());
    r.lights[0].solo = true;
    expect(rigLighting(r, meta).lighting.lights.map((l) => l.kind)).toEqual(['sun']);
    r.lights[0].on = false;
    expect(rigLighting(r, meta).lighting.lights.map((l) => l.kind)).toEqual(['point', 'area']);
  });
});

describe('the rig of a wild scene', () => {
  it('is one that can be kept, whatever the file says of its lights', () => {
    const wild = fc.oneof(fc.double(), fc.constantFrom(0, -1, 1e30, Infinity, NaN));
    fc.assert(
      fc.property(
        fc.array(wild, { minLength: 16, maxLength: 16 }),
        fc.constantFrom('sun', 'point', 'spot', 'area'),
        (v, kind) => {
          const scene = lampScene();
          const [a, b, c, d, e, f, g, h, i, j, k, l, m, n, o, p] = v;
          Object.assign(
            scene.meta.lights[0],
            light(kind as 'sun', a, {
              range: b,
              radius: c,
              angularDiameterRad: d,
              innerConeRad: e,
              outerConeRad: f,
              width: g,
              height: h,
              color: [i, j, k],
              name: 'x'.repeat(300),
            }),
          );
          scene.meta.environment = {
            ...scene.meta.environment,
            strength: l,
            rotationDeg: m,
            lightStrength: n,
            stops: [{ y: o, radiance: [p, a, b] }],
          };
          const found = rig.safeParse(sceneRig(scene));
          expect(found.error?.issues ?? []).toEqual([]);
        },
      ),
      { numRuns: cases(60) },
    );
  });

  it('holds as many lights as can be kept', () => {
    const scene = lampScene();
    scene.meta.lights = Array.from({ length: 400 }, () => scene.meta.lights[0]);
    expect(rig.safeParse(sceneRig(scene)).success).toBe(true);
  });
});

describe('blending two rigs', () => {
  it.each([0, 0.25, 0.5, 1])('at %s gives the blend of their pictures', async (t) => {
    const scene = lampScene();
    const a = sceneRig(scene);
    const b = structuredClone(a);
    b.lights[0].intensity = 9;
    b.lights[1].on = false;
    b.lights[2].position = [-1, 1.5, 0.5];
    b.lights[2].follows = null;
    b.lights.push({ ...newLight('spot', 'extra', 'extra'), intensity: 30 });
    b.environment.strength = 2;
    const [pa, pb] = [await pictureOf(scene, a), await pictureOf(scene, b)];
    const mixed = blendRigs(a, b, t, 'mix');
    expect(rig.safeParse(mixed).success).toBe(true);
    const pm = await pictureOf(scene, mixed);
    for (let i = 0; i < pm.length; i += 7) {
      const expected = pa[i] * (1 - t) + pb[i] * t;
      expect(Math.abs(pm[i] - expected)).toBeLessThan(1e-5 * (1 + expected));
    }
  });

  it('mixes gradients stop by stop, and exposures as light', () => {
    const base = sceneRig(lampScene());
    const a = {
      ...base,
      lights: [],
      environment: { ...base.environment, stops: [{ y: 0, radiance: [1, 1, 1] as [number, number, number] }] },
    };
    const b = {
      ...a,
      exposureEv: 1,
      environment: {
        ...a.environment,
        kind: 'gradient' as const,
        stops: [
          { y: -1, radiance: [0, 0, 0] as [number, number, number] },
          { y: 1, radiance: [4, 4, 4] as [number, number, number] },
        ],
      },
    };
    const mixed = blendRigs(a, b, 0.5, 'mix').environment;
    const level = (y: number): number => mixed.stops.find((s) => s.y === y)!.radiance[0] * mixed.strength;
    const strength = base.environment.strength;
    expect(level(-1)).toBeCloseTo(0.5 * strength, 6);
    expect(level(1)).toBeCloseTo((0.5 + 4) * strength, 6);
  });
});

describe('sun angles', () => {
  it('come back from the direction they give', () => {
    fc.assert(
      fc.property(
        fc.double({ min: -88, max: 88, noNaN: true }),
        fc.double({ min: 0, max: 359.9, noNaN: true }),
        (altitude, azimuth) => {
          const back = sunAngles(sunDirection(altitude, azimuth));
          expect(back.altitudeDeg).toBeCloseTo(altitude, 6);
          expect(Math.abs(((back.azimuthDeg - azimuth + 540) % 360) - 180)).toBeLessThan(1e-6);
        },
      ),
    );
  });

  it('of a sun in the east shine to the west', () => {
    const [x, y] = sunDirection(0, 90);
    expect(x).toBeCloseTo(-1, 9);
    expect(y).toBeCloseTo(0, 9);
  });
});

describe('a rig that makes no sense', () => {
  it.each([
    ['NaN intensity', { intensity: NaN }],
    ['an enormous one', { intensity: 1e12 }],
    ['a face without area', { width: 0 }],
    ['a direction of no length', { direction: [0, 0, 0] }],
    ['no name', { name: ' ' }],
  ])('is refused: %s', (_name, change) => {
    const r = sceneRig(lampScene());
    expect(rig.safeParse({ ...r, lights: [{ ...newLight('area', 'x', 'x'), ...change }] }).success).toBe(false);
  });
});

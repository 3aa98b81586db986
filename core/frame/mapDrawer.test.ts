import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { cutPlane } from '../measure/rect';
import { resolveRecipe } from '../recipe/recipe';
import { compileScene } from '../scene/compileScene';
import { packScene, toShared } from '../scene/packScene';
import { addDrawnLight, anyLight, triple, within } from '../testing/anything';
import { addNode, cameraAt, DOWN, environment, light, MATTE, quad, sceneOf } from '../testing/scenes';
import { createLocalPort } from './localPort';
import { RenderPool } from './renderPool';
import { cases } from '../testing/cases';

const SMALL = { 'output.width': 48, 'output.height': 32, 'samples.pixel': 1, 'lens.tone': 'none' };
const LARGE_MAPS = { 'shadows.resolution': 1024, 'shadows.localResolution': 256 };

/** A floor under sheets, one of them glass, lit by a sun and another light. @param lid height of a sheet over all, or 0 */
function sceneUnder(drawn: Parameters<typeof addDrawnLight>[1], lid: number): SharedArrayBuffer {
  const glass = {
    ...MATTE,
    name: 'glass',
    transmission: 1,
    baseColor: [0.5, 0.7, 1, 1] as [number, number, number, number],
  };
  const sheets = [quad(6), quad(0.6, 0.7), quad(0.4, 1.2, 1), quad(0.3, 0.4), ...(lid > 0 ? [quad(20, lid)] : [])];
  const source = sceneOf(sheets, [{ ...MATTE, doubleSided: true }, glass]);
  source.environment = environment(0.4);
  source.lights = [light('sun', 5, { castsShadow: true, angularDiameterRad: 0.02 })];
  addNode(source, { light: 0, rotation: [DOWN[0], 0.2, 0, DOWN[3]] });
  addDrawnLight(source, { ...drawn, castsShadow: true });
  return toShared(packScene(compileScene(source)));
}

const settings = fc.record({
  'shadows.filter': fc.constantFrom('hard', 'pcf', 'soft', 'moment'),
  'shadows.radius': within(0.5, 4),
  'shadows.distance': fc.constantFrom(8, 100),
  'shadows.cascades': fc.constantFrom(1, 3),
  'shadows.lightSamples': fc.constantFrom(1, 1, 2),
  'shadows.autoBias': fc.boolean(),
  'shadows.normalOffset': within(0, 3),
  'samples.pixel': fc.constantFrom(1, 3),
  'shadows.contactLength': fc.constantFrom(0, 0.4),
  'bounce.occlusion': fc.boolean(),
  'bounce.occlusionScale': fc.constantFrom('full', 'half'),
});

describe.each([
  ['compiled', true],
  ['plain', false],
])('maps drawn as far as a picture asks, by %s loops', (_name, kernels) => {
  it('give it to the bit what whole ones do, whatever lies where nothing is drawn', async () => {
    await fc.assert(
      fc.asyncProperty(
        anyLight,
        settings,
        fc.record({ eye: triple(within(-3, 3)), at: triple(within(-1, 1)), fov: within(5, 60) }),
        async (drawn, more, { eye, at, fov }) => {
          fc.pre(Math.hypot(eye[0] - at[0], eye[2] - at[2]) > 0.1);
          const recipe = resolveRecipe({ name: 't', draft: { ...SMALL, ...LARGE_MAPS, ...more }, final: {} }, 'draft');
          const camera = cameraAt([eye[0], Math.abs(eye[1]) + 0.1, eye[2]], at, fov);
          // from high above all is seen
          const above = cameraAt([0, 30, 0.1], [0, 0, 0], 40);
          const pool = new RenderPool([createLocalPort(() => performance.now())], kernels);
          pool.setScene('s', sceneUnder(drawn, 0));
          // with a lid on, everything lies in shadow: so do the parts of maps that are left from then
          pool.setScene('lid', sceneUnder(drawn, 2.9));
          const request = { recipe, timeSeconds: 0, seed: 1 };
          const sumsOf = async (sceneId: string, from = camera): Promise<Float32Array> =>
            (await pool.render({ ...request, sceneId, camera: from }).promise).views.sums.slice();
          const first = await sumsOf('s');
          const { width, views } = await pool.render({ ...request, sceneId: 's', camera }).promise;
          const beauty = views.beauty.slice();
          await sumsOf('lid', above);
          // somewhere in the picture
          const part = { x: Math.round(at[0] ** 2 * 43), y: Math.round(at[2] ** 2 * 28), width: 5, height: 4 };
          const alone = await pool.render({ ...request, sceneId: 's', camera, regions: [part] }).promise;
          const ofPart = [alone.views.beauty, beauty].map((pixels) => cutPlane(pixels, width, part, 3));
          await sumsOf('lid', above);
          const overOthers = await sumsOf('s');
          // the maps stand, and what they lack is drawn
          await sumsOf('s', above);
          const whole = await sumsOf('s');
          pool.terminate();
          expect(ofPart[0]).toEqual(ofPart[1]);
          expect(overOthers).toEqual(first);
          expect(whole).toEqual(first);
        },
      ),
      { numRuns: cases(kernels ? 5 : 3) },
    );
  });
});

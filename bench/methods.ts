/**
 * What methods of bounced light get right: the bounce layer of each against the path tracer's, with equal bounces, and how much
 * each flickers while the camera turns slowly and no light moves.
 */
import { motionVectors } from '@daxel/core/frame/motion';
import { seeThroughInstances } from '@daxel/core/frame/materialRules';
import { readLayers } from '@daxel/core/frame/layers';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { measureError, type MeasuredImage } from '@daxel/core/measure/imageError';
import { mainParts } from '@daxel/core/measure/stability/blame';
import { lightLayers } from '@daxel/core/measure/stability/frameLayers';
import { SequenceMeter, type SequenceReport } from '@daxel/core/measure/stability/sequence';
import { multiply, type Mat4 } from '@daxel/core/math/mat4';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import type { SettingValue } from '@daxel/core/recipe/settings';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { DEMO_SCENES } from '@daxel/demo/scenes';
import { createNodePool } from '@daxel/server/render/nodePool';
import { row, type Bench, type BenchRow } from './rows';
import { demoScene } from './scenes';

type Values = Record<string, SettingValue>;

const [WIDTH, HEIGHT, BLOCK] = [384, 216, 8];
const SIZE = { 'output.width': WIDTH, 'output.height': HEIGHT, 'lens.bloom': 0 };
const TRUTH: Values = {
  ...{ 'samples.method': 'path', 'samples.pixel': 128, 'samples.denoise': 'off', 'samples.errorTarget': 0 },
  'bounce.clamp': 0,
};
const METHODS: Readonly<Record<string, Values>> = {
  surroundings: { 'bounce.method': 'environment' },
  screen: { 'bounce.method': 'screen', 'output.overscan': 12 },
  voxels: { 'bounce.method': 'voxels' },
  probes: { 'bounce.method': 'probes' },
  traced: { 'bounce.method': 'traced', 'bounce.rays': 1 },
};
const SCENES = ['chart-coloured-box.glb', 'lamp-room.glb', 'stairwell.glb', 'day-room.glb', 'gallery.glb'];
/** The camera turns by so much a frame, radians, at the pixels of a frame about half a one. */
const [FRAMES, TURN] = [24, 0.0012];
const PANS = ['stairwell.glb', 'day-room.glb'];

interface Shown {
  bounce: Float32Array;
  seconds: number;
}

export const methods: Bench = {
  name: 'methods',
  async run() {
    const rows: BenchRow[] = [];
    for (const file of SCENES) {
      const draw = await drawing(file);
      const short = file.replace('.glb', '');
      const truth = await draw(TRUTH);
      const found = new Map<string, ReturnType<typeof against>>();
      for (const [name, values] of Object.entries(METHODS))
        found.set(name, against(await draw({ ...values, 'samples.method': 'raster', 'samples.pixel': 16 }), truth));
      const plain = found.get('surroundings')!;
      for (const [name, { level, relMse, flip, seconds }] of found) {
        const figures = (what: string, ours: number, theirs: number, unit: string): BenchRow =>
          row('methods', `${short}, ${name}: ${what}`, 'surroundings', ours, theirs, unit);
        rows.push(figures('mean', level, plain.level, 'of the truth'));
        rows.push(figures('relative MSE', relMse, plain.relMse, ''), figures('FLIP', flip, plain.flip, ''));
        rows.push(figures('time', seconds, plain.seconds, 's'));
      }
      draw.end();
    }
    for (const file of PANS) {
      const draw = await drawing(file);
      const found = new Map<string, SequenceReport>();
      for (const [name, values] of Object.entries(METHODS))
        found.set(name, await draw.pan({ ...values, 'samples.method': 'raster', 'samples.pixel': 4 }));
      const plain = found.get('surroundings')!;
      for (const [name, { index, blame }] of found) {
        const parts = blame ? mainParts(blame).map((p) => `${p.part} ${Math.round(p.share * 100)} %`) : [];
        const short = `${file.replace('.glb', '')}, ${name}: flicker (${parts.join(', ') || 'nothing to blame'})`;
        rows.push(row('methods', short, 'surroundings', index, plain.index, ''));
      }
      draw.end();
    }
    return rows;
  },
};

/** Loads a demo scene with its own recipe. */
async function drawing(file: string) {
  const { recipe } = DEMO_SCENES.find((s) => s.file === file)!;
  const pool = createNodePool(2);
  const scene = pool.setScene(file, await demoScene(file));
  const shot = scene.meta.shots[0];
  const camera = shotCamera(scene, shot, 0);
  const render = (values: Values, world: Mat4 = camera.world, fresh = false): Promise<RenderedFrame> => {
    const own = { ...resolveRecipe(recipe, 'draft'), ...SIZE, ...values };
    const eye = { ...camera, world };
    const wish = { sceneId: file, recipe: own, camera: eye, timeSeconds: 0, seed: shot.seed, fresh };
    return pool.render(wish).promise;
  };
  const draw = async (values: Values): Promise<Shown> => {
    // probes are baked, and code has run, before its time is taken
    if (values['samples.method'] !== 'path') await render(values);
    const frame = await render(values, camera.world, true);
    const [bounce] = readLayers(frame.views, frame.samples, recipe.draft['lens.exposure'] as number, ['bounce']);
    return { bounce: bounce.data.slice(), seconds: frame.seconds };
  };
  const pan = async (values: Values): Promise<SequenceReport> => {
    const meter = new SequenceMeter();
    const turned = (n: number): Mat4 => multiply(camera.world, turn((n - FRAMES / 2) * TURN));
    for (let n = 0; n < FRAMES; n++) {
      const frame = await render(values, turned(n));
      const { views, width, height, samples } = frame;
      const [seen, next] = [n, n + 1].map((k) => ({ ...camera, world: turned(k) }));
      const motion = motionVectors({
        ...{ ...frame, ...views, scene, seeThrough: seeThroughInstances(scene), behind: 'background' as const },
        ...{ camera: seen, timeSeconds: 0, nextCamera: next, nextTimeSeconds: 0 },
      });
      const light = lightLayers(views.sums, samples, recipe.draft['lens.exposure'] as number);
      const rgb = views.beauty.slice(0, width * height * 3);
      meter.add(
        { name: `frame ${n}`, width, height, rgb, tone: 'neutral', motion, ids: views.objectId.slice(), light },
        n,
      );
    }
    return meter.report();
  };
  return Object.assign(draw, { pan, end: () => pool.terminate() });
}

/** About the camera's own upward axis. */
function turn(by: number): Mat4 {
  const [c, s] = [Math.cos(by), Math.sin(by)];
  return Float64Array.from([c, 0, -s, 0, 0, 1, 0, 0, s, 0, c, 0, 0, 0, 0, 1]);
}

/** Of the layer: its mean, means of 8×8 pixels (noise of the reference would count most otherwise), and how different it looks. */
function against({ bounce, seconds }: Shown, truth: Shown) {
  const mean = (of: Float32Array): number => of.reduce((sum, v) => sum + v, 0) / of.length;
  const [ours, theirs] = [blocksOf(bounce), blocksOf(truth.bounce)];
  const least = 0.01 * mean(theirs) ** 2;
  const relMse = ours.reduce((sum, v, i) => sum + (v - theirs[i]) ** 2 / (theirs[i] ** 2 + least), 0) / ours.length;
  const image = (name: string, rgb: Float32Array): MeasuredImage => ({
    ...{ name, width: WIDTH, height: HEIGHT, rgb },
    tone: 'neutral',
  });
  const { flip } = measureError(image('picture', bounce), image('reference', truth.bounce));
  return { level: mean(bounce) / mean(truth.bounce), relMse, flip, seconds };
}

function blocksOf(rgb: Float32Array): Float32Array {
  const [across, down] = [WIDTH / BLOCK, HEIGHT / BLOCK];
  const out = new Float32Array(across * down * 3);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++)
      for (let c = 0; c < 3; c++)
        out[(Math.floor(y / BLOCK) * across + Math.floor(x / BLOCK)) * 3 + c] +=
          rgb[(y * WIDTH + x) * 3 + c] / (BLOCK * BLOCK);
  return out;
}

/** `daxel bake`: what can be worked out before any frame, into a copy of the scene. */
import { basename, resolve } from 'node:path';
import { BadInputError } from '@daxel/core/errors';
import { probesInWords } from '@daxel/core/around/probes/figures';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import { readBaked, writeBaked } from '@daxel/formats/gltf/bakedProbes';
import { atomicWrite, checkWritable } from '../store/atomicWrite';
import { bakedFile, sizeOf } from './bakedFile';
import { openScene, parseWords, readSceneArguments, SCENE_OPTIONS, SCENE_USAGE } from './sceneArguments';

export const BAKE_USAGE = `daxel bake SCENE.glb --probes --out BAKED.glb [options]
  --probes                   irradiance probes, which daxel render BAKED.glb --set bounce.method=probes asks then
  --report FILE.json         what it took
${SCENE_USAGE}
BAKED.glb is the scene as it was, and the probes beside it. It may be the same file.`;

const PROGRESS_MS = 1000;

const EXAMPLE = 'daxel bake SCENE.glb --probes --out BAKED.glb';
const OPTIONS = {
  ...SCENE_OPTIONS,
  probes: { type: 'boolean' },
  out: { type: 'string' },
  report: { type: 'string' },
} as const;

export async function bakeCommand(argv: string[]): Promise<void> {
  const { values, positionals } = parseWords('bake', argv, OPTIONS);
  const args = readSceneArguments(values, positionals, EXAMPLE);
  if (!values.probes) throw new BadInputError(`Say what to bake: ${EXAMPLE}`);
  if (!values.out || !/\.glb$/i.test(values.out)) throw new BadInputError('Say where to write: --out BAKED.glb');
  const out = resolve(values.out);
  const report = values.report ? resolve(values.report) : null;
  for (const path of report ? [out, report] : [out]) await checkWritable(path);
  Object.assign(args.recipe[args.tier], { 'bounce.method': 'probes', 'samples.method': 'raster' });
  const name = basename(args.scene);
  const { pool, file, sceneId, scene, shot, lighting, recipe } = await openScene(args);
  try {
    const known = readBaked(file, name);
    const store = bakedFile(known, false, () => undefined);
    pool.keepProbesIn(store);
    const timeSeconds = shot.firstFrame / shot.rate;
    const camera = shotCamera(scene, shot, timeSeconds);
    const ticket = pool.bake({ sceneId, recipe, lighting, camera, timeSeconds, seed: args.seed ?? shot.seed });
    const asking = setInterval(() => {
      if (process.stdout.isTTY) process.stdout.write(`\rbaking probes, ${Math.round(ticket.progress() * 100)} %`);
    }, PROGRESS_MS);
    const probes = await ticket.promise.finally(() => clearInterval(asking));
    if (process.stdout.isTTY) process.stdout.write('\r');
    const [set] = store.baked;
    // sets of other rigs and spacings stay
    if (set) await atomicWrite(out, writeBaked(file, name, [...known.filter((k) => k.key !== set.key), set]));
    else await atomicWrite(out, file);
    process.stdout.write(`${probesInWords(probes!)}${set ? ` (${sizeOf(set)})` : ''}  ${out}\n`);
    if (report) {
      const { count, moved, buried, seconds, boxes } = probes!;
      await atomicWrite(report, `${JSON.stringify({ probes: { count, moved, buried, seconds, boxes } }, null, 2)}\n`);
    }
  } finally {
    pool.terminate();
  }
}

/** `daxel render`: frames of a .glb without a browser. */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { frameName, tokenProblem } from '@daxel/api/fileNaming';
import { BadInputError } from '@daxel/core/errors';
import { historyOptions } from '@daxel/core/frame/frameSettings';
import { LAYER_NAMES } from '@daxel/core/frame/layers';
import type { RenderPool } from '@daxel/core/frame/renderPool';
import { exposedBy, readRig, rigLighting, type Rig } from '@daxel/core/light/rig';
import { FrameRun } from '@daxel/core/frame/run';
import { hashFloats, hashText } from '@daxel/core/math/hash';
import {
  parseAssignment,
  readRecipe,
  recipeHash,
  resolveRecipe,
  type Recipe,
  type Tier,
} from '@daxel/core/recipe/recipe';
import { SETTINGS } from '@daxel/core/recipe/settings';
import type { CameraView } from '@daxel/core/scene/camera';
import { findShot, shotCamera } from '@daxel/core/scene/shotCamera';
import { STILL_TAKE } from '@daxel/core/scene/take';
import type { SceneMeta } from '@daxel/core/scene/compiled';
import type { Lighting, ShotSource } from '@daxel/core/scene/source';
import { AS_IT_IS, type EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { LARGEST_WIDTH } from '@daxel/formats/environment/readEnvironment';
import { unpackPicture } from '@daxel/formats/environment/storedPicture';
import { importFile } from '../import/importFile';
import { importPicture } from '../import/pictureFile';
import { loadScene } from '../render/loadScene';
import { createNodePool } from '../render/nodePool';
import { toExr, toPng8, type OutputInput } from '../render/outputs';
import { frameReport } from '../render/report';
import { motionLayer } from '../render/shotFrames';
import { checkpointFile } from '../render/unfinishedFile';
import { FRAME_TEXT, frameMark, markOf } from '../render/frameMark';
import { atomicWrite, checkWritable } from '../store/atomicWrite';

export const RENDER_USAGE = `daxel render SCENE.glb --out PATTERN [options]
  --shot NAME                a camera or shot of the file; the first by default
  --recipe FILE.json         settings; the initial values by default
  --tier draft|final         which tier of the recipe (final)
  --set stage.setting=value  change one setting; may be repeated
  --method raster|path       how to render, same as samples.method; a path-traced frame that was stopped goes on
  --size WxH                 in pixels, same as output.width and output.height
  --frames N|A-B             frame numbers; the shot's first by default; below zero as --frames=-4-20
  --rig FILE.json            lighting to use instead of the scene's own
  --environment FILE         .hdr or .exr picture around the scene instead of its own surroundings
  --seed N                   of the sample positions
  --take N                   another course of what is random in the shot
  --threads N                as many as cores by default
  --layers a,b               layers of an EXR file; all by default
  --again                    render frames that are there already from the same scene and settings, too
  --report FILE.json         what it took
  --settings                 list all settings and exit
PATTERN ends in .exr (scene-linear, float) or .png (display, 8 bit) and may hold #### for the frame,
{shot}, {layer}, {take}, {tier} and {date}.`;

/** A path-traced frame that is stopped goes on from the last of these. */
const CHECKPOINT_SECONDS = 20;

interface RenderArguments {
  scene: string;
  shot?: string;
  recipe: Recipe;
  tier: Tier;
  rig: Rig | null;
  environment?: string;
  frames: [number, number] | null;
  seed?: number;
  take?: number;
  threads: number;
  layers: string[];
  /** Between checkpoints of a path-traced frame. */
  checkpointSeconds: number;
  out: string;
  again: boolean;
  report?: string;
}

export async function renderCommand(argv: string[]): Promise<void> {
  const args = readArguments(argv);
  if (args === 'settings') return printSettings();
  if (args.report) await checkWritable(resolve(args.report));
  const imported = await importFile(args.scene, basename(args.scene), tmpdir());
  const packed = await loadOnce(imported.packed);
  const pool = createNodePool(args.threads);
  try {
    const scene = pool.setScene('scene', packed);
    const own = findShot(scene, args.shot);
    const shot = args.take === undefined ? own : { ...own, take: { ...(own.take ?? STILL_TAKE), number: args.take } };
    const named = { shot, tier: args.tier };
    const lighting = await lightingOf(pool, scene.meta, args);
    const plain = resolveRecipe(args.recipe, args.tier);
    const recipe = args.rig ? exposedBy(plain, args.rig) : plain;
    const [first, last] = args.frames ?? [shot.firstFrame, shot.firstFrame];
    for (const n of new Set([first, last])) for (const path of filesOf(args, named, n)) await checkWritable(path);
    const run = new FrameRun(pool, scene, shot.rate, { first });
    const reports: unknown[] = [];
    const skipped: number[] = [];
    for (let n = first; n <= last; n++) {
      const timeSeconds = n / shot.rate;
      const camera = shotCamera(scene, shot, timeSeconds);
      const seed = args.seed ?? shot.seed;
      const mark = frameMark([
        ...[imported.hash, recipeHash(recipe), lighting, shot, camera, timeSeconds, seed, args.layers],
        // what accumulates depends on where it began
        historyOptions(recipe) && first,
      ]);
      if (!args.again && (await areThere(filesOf(args, named, n), mark))) {
        process.stdout.write(`frame ${n}  is there already (--again renders it)\n`);
        skipped.push(n);
        continue;
      }
      const key = hashText(
        JSON.stringify([imported.hash, recipeHash(recipe), lighting, [...camera.world], timeSeconds, seed]),
      );
      const unfinished = checkpointFile(`${resolve(fileName(args.out, named, n, 'beauty'))}.unfinished`, key);
      const resume = await unfinished.read();
      if (resume) process.stdout.write(`frame ${n}  going on from ${resume.samples} samples\n`);
      const checkpointSeconds = args.checkpointSeconds;
      const request = { sceneId: 'scene', recipe, lighting, camera, timeSeconds, seed, resume, checkpointSeconds };
      const frame = await run.frame(n, request, { onCheckpoint: (c) => unfinished.write(c) }).promise;
      const cameraAt = (t: number): CameraView => shotCamera(scene, shot, t);
      const motion = motionLayer(scene, frame, recipe, cameraAt, n, shot.rate);
      const output: OutputInput = { frame, recipe, camera, layers: args.layers, motion, rate: shot.rate };
      const outputs = await writeOutputs(args, output, named, n, mark);
      await unfinished.remove();
      reports.push({
        ...frameReport(frame, {
          frame: n,
          tier: args.tier,
          recipeHash: recipeHash(recipe),
          warnings: [...scene.meta.warnings, ...frame.notes],
          outputs,
        }),
        beautyHash: hashFloats(frame.views.beauty),
      });
      const size = `${frame.width}×${frame.height}`;
      process.stdout.write(
        `frame ${n}  ${size}  ${frame.samples} samples  ${frame.seconds.toFixed(2)} s  ${outputs.join(' ')}\n`,
      );
    }
    for (const warning of scene.meta.warnings) process.stdout.write(`note: ${warning}\n`);
    if (args.report) {
      const report =
        reports.length === 1 && skipped.length === 0
          ? reports[0]
          : { frames: reports, ...(skipped.length > 0 && { skipped }) };
      await atomicWrite(resolve(args.report), `${JSON.stringify(report, null, 2)}\n`);
    }
  } finally {
    pool.terminate();
  }
}

/** What an import left for us. */
async function loadOnce(path: string): Promise<SharedArrayBuffer> {
  return loadScene(path).finally(() => rm(path, { force: true }));
}

/** The light that the arguments ask for; undefined for the scene's own. */
async function lightingOf(pool: RenderPool, meta: SceneMeta, args: RenderArguments): Promise<Lighting | undefined> {
  if (!args.rig && !args.environment) return undefined;
  const own: Lighting = { lights: meta.lights, environment: meta.environment };
  const lighting = args.rig ? rigLighting(args.rig, meta).lighting : own;
  if (!args.environment) return lighting;
  const { packed, hash: picture } = await importPicture(
    args.environment,
    basename(args.environment),
    tmpdir(),
    LARGEST_WIDTH,
  );
  // named by what it holds: what is rendered in it is known by its light
  pool.setPicture(picture, unpackPicture(await loadOnce(packed)));
  return { ...lighting, environment: { ...SURROUNDING, picture } };
}
/** A picture as it is: seen, lighting and mirrored at its own strength. */
const SURROUNDING: EnvironmentSource = {
  ...AS_IT_IS,
  kind: 'picture',
  stops: [{ y: 0, radiance: [0, 0, 0] }],
};

function fileName(pattern: string, { shot, tier }: Named, frame: number, layer: string): string {
  const date = new Date().toISOString().slice(0, 10);
  const named = { shot: shot.name, take: shot.take?.number ?? 0, tier, date, version: 0 };
  return frameName(pattern.replaceAll('{layer}', layer), named, frame);
}
/** What the names of all frames have in common. */
interface Named {
  shot: ShotSource;
  tier: Tier;
}

async function areThere(paths: readonly string[], mark: string): Promise<boolean> {
  for (const path of paths) if ((await markOf(path)) !== mark) return false;
  return true;
}

/** Which layers go into one file each. */
function groupsOf({ out, layers }: RenderArguments): (readonly string[])[] {
  if (out.toLowerCase().endsWith('.png')) return [['beauty']];
  return out.includes('{layer}') ? layers.map((l) => [l]) : [layers];
}

function filesOf(args: RenderArguments, named: Named, frame: number): string[] {
  return groupsOf(args).map(([first]) => resolve(fileName(args.out, named, frame, first)));
}

async function writeOutputs(
  args: RenderArguments,
  output: OutputInput,
  named: Named,
  frame: number,
  mark: string,
): Promise<string[]> {
  const text = { [FRAME_TEXT]: mark };
  const paths = filesOf(args, named, frame);
  for (const [i, layers] of groupsOf(args).entries()) {
    const png = paths[i].toLowerCase().endsWith('.png');
    await atomicWrite(paths[i], png ? toPng8(output, text) : toExr({ ...output, layers }, 'float', text));
  }
  return paths;
}

function readArguments(argv: string[]): RenderArguments | 'settings' {
  const { values, positionals } = parse(argv);
  if (values.settings) return 'settings';
  if (positionals.length !== 1) throw new BadInputError('Give one scene: daxel render SCENE.glb --out PATTERN');
  const scene = positionals[0];
  plainFile(scene);
  const out = values.out;
  if (!out) throw new BadInputError('Say where to write: --out still.exr or --out frames/f.####.png');
  if (!/\.(exr|png)$/i.test(out)) throw new BadInputError(`--out ${out}: the name must end in .exr or .png.`);
  const { method } = values;
  if (method !== undefined && method !== 'raster' && method !== 'path')
    throw new BadInputError(`--method ${method}: choose raster or path.`);
  const tier = values.tier ?? 'final';
  if (tier !== 'draft' && tier !== 'final') throw new BadInputError(`--tier ${tier}: choose draft or final.`);
  const recipe: Recipe = values.recipe
    ? readRecipe(textOf(values.recipe, 'recipe'), basename(values.recipe))
    : { name: 'command line', draft: {}, final: {} };
  if (values.size) {
    const m = /^(\d+)[xX×](\d+)$/.exec(values.size);
    if (!m) throw new BadInputError(`--size ${values.size}: write it as WIDTHxHEIGHT, for example 960x540.`);
    recipe[tier]['output.width'] = parseAssignment(`output.width=${m[1]}`).value;
    recipe[tier]['output.height'] = parseAssignment(`output.height=${m[2]}`).value;
  }
  if (method) recipe[tier]['samples.method'] = method;
  for (const text of values.set ?? []) {
    const { id, value } = parseAssignment(text);
    recipe[tier][id] = value;
  }
  const layers = values.layers?.split(',').map((l) => l.trim()) ?? LAYER_NAMES;
  for (const layer of layers) {
    if (!LAYER_NAMES.includes(layer))
      throw new BadInputError(`--layers: there is no layer "${layer}". Choose from ${LAYER_NAMES.join(', ')}.`);
  }
  const frames = values.frames === undefined ? null : readFrames(values.frames);
  if (frames && frames[1] > frames[0] && !out.includes('#'))
    throw new BadInputError(`--out ${out}: several frames need #### in the name.`);
  const problem = out.includes('{version}')
    ? '{version} counts what the application renders out'
    : tokenProblem(out, ['layer']);
  if (problem) throw new BadInputError(`--out ${out}: ${problem}.`);
  return {
    scene,
    shot: values.shot,
    recipe,
    tier,
    rig: values.rig ? readRig(textOf(values.rig, 'rig'), basename(values.rig)) : null,
    environment: values.environment && plainFile(values.environment),
    frames,
    seed: wholeNumber('--seed', values.seed, 0, 2 ** 31 - 1),
    take: wholeNumber('--take', values.take, 0, 2 ** 31 - 1),
    threads: wholeNumber('--threads', values.threads, 1, 32) ?? 0,
    layers,
    checkpointSeconds: Number(process.env.DAXEL_CHECKPOINT_SECONDS ?? CHECKPOINT_SECONDS),
    out,
    again: values.again ?? false,
    report: values.report,
  };
}

function parse(argv: string[]) {
  try {
    return parseArgs({
      args: argv,
      allowPositionals: true,
      options: {
        shot: { type: 'string' },
        recipe: { type: 'string' },
        tier: { type: 'string' },
        set: { type: 'string', multiple: true },
        method: { type: 'string' },
        size: { type: 'string' },
        rig: { type: 'string' },
        environment: { type: 'string' },
        frames: { type: 'string' },
        seed: { type: 'string' },
        take: { type: 'string' },
        threads: { type: 'string' },
        layers: { type: 'string' },
        out: { type: 'string' },
        again: { type: 'boolean' },
        report: { type: 'string' },
        settings: { type: 'boolean' },
      },
    });
  } catch (error) {
    throw new BadInputError(`${(error as Error).message.split('\n')[0]} See: daxel render --help`);
  }
}

function textOf(path: string, what: string): string {
  plainFile(path);
  try {
    return readFileSync(path, 'utf8');
  } catch {
    throw new BadInputError(`${path}: the ${what} cannot be read.`);
  }
}

/** Devices and pipes may never end. */
function plainFile(path: string): string {
  if (!existsSync(path)) throw new BadInputError(`${path}: there is no such file.`);
  if (!statSync(path).isFile()) throw new BadInputError(`${path}: this is not a file.`);
  return path;
}

function readFrames(text: string): [number, number] {
  const m = /^(-?\d+)(?:-(-?\d+))?$/.exec(text);
  const first = m ? Number(m[1]) : NaN;
  const last = m ? Number(m[2] ?? m[1]) : NaN;
  if (!(last >= first) || last - first > 100_000)
    throw new BadInputError(`--frames ${text}: write one number, or first-last, for example 1-96.`);
  return [first, last];
}

function wholeNumber(flag: string, text: string | undefined, min: number, max: number): number | undefined {
  if (text === undefined) return undefined;
  const n = Number(text);
  if (!Number.isInteger(n) || n < min || n > max)
    throw new BadInputError(`${flag} ${text}: give a whole number from ${min} to ${max}.`);
  return n;
}

function printSettings(): void {
  for (const s of SETTINGS) {
    const range =
      s.kind === 'choice'
        ? s.choices.map((c) => c.value).join(' | ')
        : s.kind === 'switch'
          ? 'true | false'
          : `${s.min}${s.least ? ` (${s.least})` : ''} … ${s.max} ${s.unit}`;
    process.stdout.write(`${s.id.padEnd(26)} ${range.padEnd(28)} initially ${String(s.initial).padEnd(9)} ${s.does}\n`);
  }
}

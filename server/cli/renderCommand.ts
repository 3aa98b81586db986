/** `daxel render`: frames of a .glb without a browser. */
import { basename, resolve } from 'node:path';
import { frameName, tokenProblem } from '@daxel/api/fileNaming';
import { BadInputError } from '@daxel/core/errors';
import { historyOptions } from '@daxel/core/frame/frameSettings';
import { LAYER_NAMES } from '@daxel/core/frame/layers';
import { FrameRun } from '@daxel/core/frame/run';
import { hashFloats, hashText } from '@daxel/core/math/hash';
import { parseAssignment, recipeHash, type Tier } from '@daxel/core/recipe/recipe';
import { SETTINGS } from '@daxel/core/recipe/settings';
import type { CameraView } from '@daxel/core/scene/camera';
import { shotCamera } from '@daxel/core/scene/shotCamera';
import type { ShotSource } from '@daxel/core/scene/source';
import { readBaked } from '@daxel/formats/gltf/bakedProbes';
import { toExr, toPng8, type OutputInput } from '../render/outputs';
import { frameReport } from '../render/report';
import { motionLayer } from '../render/shotFrames';
import { checkpointFile } from '../render/unfinishedFile';
import { FRAME_TEXT, frameMark, markOf } from '../render/frameMark';
import { atomicWrite, checkWritable } from '../store/atomicWrite';
import { bakedFile } from './bakedFile';
import {
  openScene,
  parseWords,
  readSceneArguments,
  SCENE_OPTIONS,
  SCENE_USAGE,
  type SceneArguments,
} from './sceneArguments';

export const RENDER_USAGE = `daxel render SCENE.glb --out PATTERN [options]
${SCENE_USAGE}
  --method raster|path       how to render, same as samples.method; a path-traced frame that was stopped goes on
  --size WxH                 in pixels, same as output.width and output.height
  --frames N|A-B             frame numbers; the shot's first by default; below zero as --frames=-4-20
  --layers a,b               layers of an EXR file; all by default
  --again                    render frames that are there already from the same scene and settings, too
  --baked-anyway             use what is baked in the scene (daxel bake) even where it was baked for other light
  --report FILE.json         what it took
  --settings                 list all settings and exit
PATTERN ends in .exr (scene-linear, float) or .png (display, 8 bit) and may hold #### for the frame,
{shot}, {layer}, {take}, {tier} and {date}.`;

/** A path-traced frame that is stopped goes on from the last of these. */
const CHECKPOINT_SECONDS = 20;

interface RenderArguments extends SceneArguments {
  frames: [number, number] | null;
  layers: string[];
  /** Between checkpoints of a path-traced frame. */
  checkpointSeconds: number;
  out: string;
  again: boolean;
  /** What is baked in the file is used even where it was baked for other light. */
  insist: boolean;
  report?: string;
}

const OPTIONS = {
  ...SCENE_OPTIONS,
  method: { type: 'string' },
  size: { type: 'string' },
  frames: { type: 'string' },
  layers: { type: 'string' },
  out: { type: 'string' },
  again: { type: 'boolean' },
  'baked-anyway': { type: 'boolean' },
  report: { type: 'string' },
  settings: { type: 'boolean' },
} as const;

export async function renderCommand(argv: string[]): Promise<void> {
  const args = readArguments(argv);
  if (args === 'settings') return printSettings();
  if (args.report) await checkWritable(resolve(args.report));
  const { pool, file, sceneId, scene, shot, lighting, recipe } = await openScene(args);
  try {
    const baked = readBaked(file, basename(args.scene));
    const notes: string[] = [];
    pool.keepProbesIn(bakedFile(baked, args.insist, (note) => notes.push(note)));
    const named = { shot, tier: args.tier };
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
        ...[sceneId, recipeHash(recipe), lighting, shot, camera, timeSeconds, seed, args.layers],
        // what accumulates depends on where it began
        historyOptions(recipe) && first,
        // and on what is used although it was baked for something else
        args.insist && baked.map((set) => hashText(set.key)),
      ]);
      if (!args.again && (await areThere(filesOf(args, named, n), mark))) {
        process.stdout.write(`frame ${n}  is there already (--again renders it)\n`);
        skipped.push(n);
        continue;
      }
      const key = hashText(
        JSON.stringify([sceneId, recipeHash(recipe), lighting, [...camera.world], timeSeconds, seed]),
      );
      const unfinished = checkpointFile(`${resolve(fileName(args.out, named, n, 'beauty'))}.unfinished`, key);
      const resume = await unfinished.read();
      if (resume) process.stdout.write(`frame ${n}  going on from ${resume.samples} samples\n`);
      const checkpointSeconds = args.checkpointSeconds;
      const request = { sceneId, recipe, lighting, camera, timeSeconds, seed, resume, checkpointSeconds };
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
          warnings: [...scene.meta.warnings, ...notes, ...frame.notes],
          outputs,
        }),
        beautyHash: hashFloats(frame.views.beauty),
      });
      const size = `${frame.width}×${frame.height}`;
      process.stdout.write(
        `frame ${n}  ${size}  ${frame.samples} samples  ${frame.seconds.toFixed(2)} s  ${outputs.join(' ')}\n`,
      );
    }
    for (const warning of [...scene.meta.warnings, ...notes]) process.stdout.write(`note: ${warning}\n`);
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
  const { values, positionals } = parseWords('render', argv, OPTIONS);
  if (values.settings) return 'settings';
  const given = readSceneArguments(values, positionals, 'daxel render SCENE.glb --out PATTERN');
  const { recipe, tier } = given;
  const out = values.out;
  if (!out) throw new BadInputError('Say where to write: --out still.exr or --out frames/f.####.png');
  if (!/\.(exr|png)$/i.test(out)) throw new BadInputError(`--out ${out}: the name must end in .exr or .png.`);
  const { method } = values;
  if (method !== undefined && method !== 'raster' && method !== 'path')
    throw new BadInputError(`--method ${method}: choose raster or path.`);
  if (values.size) {
    const m = /^(\d+)[xX×](\d+)$/.exec(values.size);
    if (!m) throw new BadInputError(`--size ${values.size}: write it as WIDTHxHEIGHT, for example 960x540.`);
    recipe[tier]['output.width'] = parseAssignment(`output.width=${m[1]}`).value;
    recipe[tier]['output.height'] = parseAssignment(`output.height=${m[2]}`).value;
  }
  if (method) recipe[tier]['samples.method'] = method;
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
    ...given,
    frames,
    layers,
    checkpointSeconds: Number(process.env.DAXEL_CHECKPOINT_SECONDS ?? CHECKPOINT_SECONDS),
    out,
    again: values.again ?? false,
    insist: values['baked-anyway'] ?? false,
    report: values.report,
  };
}

function readFrames(text: string): [number, number] {
  const m = /^(-?\d+)(?:-(-?\d+))?$/.exec(text);
  const first = m ? Number(m[1]) : NaN;
  const last = m ? Number(m[2] ?? m[1]) : NaN;
  if (!(last >= first) || last - first > 100_000)
    throw new BadInputError(`--frames ${text}: write one number, or first-last, for example 1-96.`);
  return [first, last];
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

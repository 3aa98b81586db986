/** What commands that work on a scene are told of it, and how they open it. */
import { existsSync, readFileSync, statSync } from 'node:fs';
import { createHash } from 'node:crypto';
import { readFile, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { basename } from 'node:path';
import { parseArgs, type ParseArgsConfig } from 'node:util';
import { BadInputError } from '@daxel/core/errors';
import type { RenderPool } from '@daxel/core/frame/renderPool';
import { AS_IT_IS, type EnvironmentSource } from '@daxel/core/light/surroundings/document';
import { exposedBy, readRig, rigLighting, type Rig } from '@daxel/core/light/rig';
import {
  parseAssignment,
  readRecipe,
  resolveRecipe,
  type Recipe,
  type ResolvedRecipe,
  type Tier,
} from '@daxel/core/recipe/recipe';
import type { CompiledScene, SceneMeta } from '@daxel/core/scene/compiled';
import { findShot } from '@daxel/core/scene/shotCamera';
import type { Lighting, ShotSource } from '@daxel/core/scene/source';
import { STILL_TAKE } from '@daxel/core/scene/take';
import { LARGEST_WIDTH } from '@daxel/formats/environment/readEnvironment';
import { unpackPicture } from '@daxel/formats/environment/storedPicture';
import { writeBaked } from '@daxel/formats/gltf/bakedProbes';
import { importFile } from '../import/importFile';
import { importPicture } from '../import/pictureFile';
import { loadScene } from '../render/loadScene';
import { createNodePool } from '../render/nodePool';

export const SCENE_USAGE = `  --shot NAME                a camera or shot of the file; the first by default
  --recipe FILE.json         settings; the initial values by default
  --tier draft|final         which tier of the recipe (final)
  --set stage.setting=value  change one setting; may be repeated
  --rig FILE.json            lighting to use instead of the scene's own
  --environment FILE         .hdr or .exr picture around the scene instead of its own surroundings
  --seed N                   of the sample positions
  --take N                   another course of what is random in the shot
  --threads N                as many as cores by default`;

export const SCENE_OPTIONS = {
  shot: { type: 'string' },
  recipe: { type: 'string' },
  tier: { type: 'string' },
  set: { type: 'string', multiple: true },
  rig: { type: 'string' },
  environment: { type: 'string' },
  seed: { type: 'string' },
  take: { type: 'string' },
  threads: { type: 'string' },
} as const satisfies ParseArgsConfig['options'];

export interface SceneArguments {
  scene: string;
  shot?: string;
  recipe: Recipe;
  tier: Tier;
  rig: Rig | null;
  environment?: string;
  seed?: number;
  take?: number;
  threads: number;
}

type SceneValues = { [K in Exclude<keyof typeof SCENE_OPTIONS, 'set'>]?: string } & { set?: string[] };

/** @param command its name, for what it says of a wrong word */
export function parseWords<T extends NonNullable<ParseArgsConfig['options']>>(
  command: string,
  argv: string[],
  options: T,
) {
  try {
    return parseArgs({ args: argv, allowPositionals: true, options });
  } catch (error) {
    throw new BadInputError(`${(error as Error).message.split('\n')[0]} See: daxel ${command} --help`);
  }
}

/** @param example what a right call looks like */
export function readSceneArguments(values: SceneValues, positionals: string[], example: string): SceneArguments {
  if (positionals.length !== 1) throw new BadInputError(`Give one scene: ${example}`);
  const scene = positionals[0];
  plainFile(scene);
  const tier = values.tier ?? 'final';
  if (tier !== 'draft' && tier !== 'final') throw new BadInputError(`--tier ${tier}: choose draft or final.`);
  const recipe: Recipe = values.recipe
    ? readRecipe(textOf(values.recipe, 'recipe'), basename(values.recipe))
    : { name: 'command line', draft: {}, final: {} };
  for (const text of values.set ?? []) {
    const { id, value } = parseAssignment(text);
    recipe[tier][id] = value;
  }
  return {
    scene,
    shot: values.shot,
    recipe,
    tier,
    rig: values.rig ? readRig(textOf(values.rig, 'rig'), basename(values.rig)) : null,
    environment: values.environment && plainFile(values.environment),
    seed: wholeNumber('--seed', values.seed, 0, 2 ** 31 - 1),
    take: wholeNumber('--take', values.take, 0, 2 ** 31 - 1),
    threads: wholeNumber('--threads', values.threads, 1, 32) ?? 0,
  };
}

export interface OpenScene {
  pool: RenderPool;
  /** As it lies on disk. */
  file: Uint8Array;
  /** Its name in the pool: fingerprint of all that is in it. */
  sceneId: string;
  scene: CompiledScene;
  shot: ShotSource;
  /** Undefined for the scene's own. */
  lighting: Lighting | undefined;
  recipe: ResolvedRecipe;
}

/** Whoever opens it ends its pool. */
export async function openScene(args: SceneArguments): Promise<OpenScene> {
  const name = basename(args.scene);
  const { packed } = await importFile(args.scene, name, tmpdir());
  const bytes = await loadOnce(packed);
  const file = await readFile(args.scene);
  // a scene is the same whatever its file is called, and whatever is baked in it
  const sceneId = createHash('sha256')
    .update(writeBaked(file, name, []))
    .digest('hex');
  const pool = createNodePool(args.threads);
  try {
    const scene = pool.setScene(sceneId, bytes);
    const own = findShot(scene, args.shot);
    const shot = args.take === undefined ? own : { ...own, take: { ...(own.take ?? STILL_TAKE), number: args.take } };
    const lighting = await lightingOf(pool, scene.meta, args);
    const plain = resolveRecipe(args.recipe, args.tier);
    return { pool, file, sceneId, scene, shot, lighting, recipe: args.rig ? exposedBy(plain, args.rig) : plain };
  } catch (error) {
    pool.terminate();
    throw error;
  }
}

/** What an import left for us. */
async function loadOnce(path: string): Promise<SharedArrayBuffer> {
  return loadScene(path).finally(() => rm(path, { force: true }));
}

/** The light that the arguments ask for; undefined for the scene's own. */
async function lightingOf(pool: RenderPool, meta: SceneMeta, args: SceneArguments): Promise<Lighting | undefined> {
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

function textOf(path: string, what: string): string {
  plainFile(path);
  try {
    return readFileSync(path, 'utf8');
  } catch {
    throw new BadInputError(`${path}: the ${what} cannot be read.`);
  }
}

/** Devices and pipes may never end. */
export function plainFile(path: string): string {
  if (!existsSync(path)) throw new BadInputError(`${path}: there is no such file.`);
  if (!statSync(path).isFile()) throw new BadInputError(`${path}: this is not a file.`);
  return path;
}

export function wholeNumber(flag: string, text: string | undefined, min: number, max: number): number | undefined {
  if (text === undefined) return undefined;
  const n = Number(text);
  if (!Number.isInteger(n) || n < min || n > max)
    throw new BadInputError(`${flag} ${text}: give a whole number from ${min} to ${max}.`);
  return n;
}

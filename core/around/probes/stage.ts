/** Irradiance probes. They are baked in a pass of their own, before the frame that asks for them. */
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import { pathOptions, type PathOptions } from '../../frame/frameSettings';
import type { ArenaPlan, ArenaViews } from '../../frame/memory';
import type { PlanContext } from '../../frame/stages/stage';
import { canonicalJson } from '../../math/canonical';
import { hashWords } from '../../math/hash';
import type { Mat4 } from '../../math/mat4';
import { PATH_TILE, pathScratchBytes } from '../../trace/pathKernel';
import { PATH_SUMS } from '../../trace/pathSums';
import { INSTANCE_NODE, INSTANCE_STRIDE, type CompiledScene } from '../../scene/compiled';
import { poseNodes } from '../../scene/pose';
import type { Lighting } from '../../scene/source';
import type { AroundStage } from '../method';
import { sceneBox, type Vec } from '../sceneBox';
import { fillBox, probesIn, proposeSpacing, type ProbeBox } from './box';
import { marchesBounce } from '../screen/settings';
import { openProbes } from './openProbes';
import { ORDERS_BYTES } from './probeLoops';
import { asksProbes } from './settings';

export interface ProbeOptions extends PathOptions {
  /** The fine one first. */
  boxes: readonly ProbeBox[];
  probes: number;
  /** Of each probe. */
  rays: number;
  /** Of the scene as it is baked, seconds. */
  timeSeconds: number;
  /** The same where all that is drawn or gives light stands in the same place. */
  pose: string;
  /** Something stands elsewhere in the frame than where it was baked. */
  behind: boolean;
  /** They are those of every frame's own instant. */
  follows: boolean;
  /** They are asked after rays through the picture. */
  after: boolean;
  /** They are being baked. */
  bakes: boolean;
}

/** Paths in flight at once. */
const AT_ONCE = PATH_TILE * PATH_TILE;

function arenaOf(options: ProbeOptions | null, threads: number, materials: number) {
  const baking = options?.bakes ? threads : 0;
  return {
    probes: { type: 'f32', length: (options?.probes ?? 0) * PROBE_STRIDE, stage: 'bounce' },
    probeOrders: { type: 'u8', length: options ? threads * ORDERS_BYTES : 0, stage: 'bounce' },
    probePaths: { type: 'u8', length: baking * pathScratchBytes(materials), stage: 'bounce' },
    probeSums: { type: 'f32', length: baking * AT_ONCE * PATH_SUMS, stage: 'bounce' },
  } as const satisfies ArenaPlan;
}
type ProbeArena = ReturnType<typeof arenaOf>;
export type ProbeViews = ArenaViews<ProbeArena>;

export const probeStage: AroundStage<ProbeOptions, ProbeArena> = {
  each: 'instant',
  options({ recipe, settings, scene, lighting, first: { moment }, bakes, instants }: PlanContext) {
    if (settings.path || !asksProbes(recipe)) return null;
    const follows = recipe['bounce.probeFollow'] === true;
    const timeSeconds = follows ? instants[0] : 0;
    const same = timeSeconds === instants[0];
    const world = same ? moment.world : poseNodes(scene, timeSeconds, moment.camera.take?.number);
    const nodes = nodesOf(scene, lighting);
    const pose = poseOf(world, nodes);
    const boxes = boxesOf(recipe, sceneBox(scene, world));
    return {
      ...pathOptions(recipe),
      boxes,
      probes: boxes.reduce((sum, box) => sum + probesIn(box), 0),
      rays: recipe['bounce.probeRays'] as number,
      timeSeconds,
      pose,
      behind: !same && pose !== poseOf(moment.world, nodes),
      follows,
      after: marchesBounce(recipe),
      bakes,
    };
  },
  needs: () => ({ depth: false, normals: false, senders: 0 }),
  memory: ({ scene, threads }, options) => arenaOf(options, threads, scene.meta.materials.length),
  key({ sceneId, lighting, settings }, { boxes, rays, pose, bounces, matte, gloss, through, roulette, caustics }) {
    const paths = [bounces, matte, gloss, through, roulette, caustics, settings.bounce];
    return canonicalJson([sceneId, lighting, pose, boxes, rays, paths]);
  },
  open: openProbes,
};

function boxesOf(recipe: PlanContext['recipe'], scene: ReturnType<typeof sceneBox>): ProbeBox[] {
  const number = (id: string): number => recipe[`bounce.${id}`] as number;
  const main = (first: number): ProbeBox => fillBox(scene, number('probeSpacing') || proposeSpacing(scene), first);
  if (recipe['bounce.probeFine'] !== true) return [main(0)];
  const middle: Vec = [number('fineX'), number('fineY'), number('fineZ')];
  const size: Vec = [number('fineWidth'), number('fineHeight'), number('fineDepth')];
  const side = (sign: number): Vec => [
    middle[0] + (sign * size[0]) / 2,
    middle[1] + (sign * size[1]) / 2,
    middle[2] + (sign * size[2]) / 2,
  ];
  const fine = fillBox({ min: side(-1), max: side(1) }, number('fineSpacing'), 0);
  return [fine, main(probesIn(fine))];
}

/** Nodes of what is drawn, shines, or lets light in. */
function nodesOf({ meta, instances }: CompiledScene, { lights }: Lighting): number[] {
  const nodes = new Set<number>();
  for (let i = INSTANCE_NODE; i < instances.length; i += INSTANCE_STRIDE) nodes.add(instances[i]);
  for (const { node } of [...lights, ...(meta.portals ?? [])]) nodes.add(node);
  return [...nodes];
}

function poseOf(world: readonly Mat4[], nodes: readonly number[]): string {
  const all = new Float64Array(nodes.length * 16);
  nodes.forEach((node, i) => all.set(world[node] ?? [], i * 16));
  return hashWords(new Uint32Array(all.buffer));
}

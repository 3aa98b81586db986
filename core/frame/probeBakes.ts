/** Bakes the probes that frames ask for, and keeps them by all that they depend on. */
import { PROBE_STRIDE } from '@daxel/kernel/generated/layouts/probe';
import type { KernelHeap } from '@daxel/kernel/heap';
import { countStates, type BakedProbes } from '../around/probes/figures';
import type { ProbeOptions, ProbeViews } from '../around/probes/stage';
import type { StageId } from '../recipe/settings';
import type { CompiledScene } from '../scene/compiled';
import { bakeOrder } from './bakeOrder';
import type { ProbeStore } from './probeStore';
import type { FrameJob, FrameOutcome } from './frameJob';
import { planFrame, type FramePlan } from './planFrame';
import type { FrameRequest } from './renderPool';
import type { StageRooms } from './stageRooms';
import { STAGE_NAMES } from './stages/frameStages';
import type { ToThread } from './threadProgram';

/** Sets of them that are kept beside the one in use, and bytes of all. */
const KEPT = 4;
const KEPT_BYTES = 2 ** 27;

type ThreadOrder = Omit<Extract<ToThread, { type: 'frame' }>, 'type' | 'ticket' | 'index' | 'size'>;

/** What baking goes by. */
export interface BakeTeam {
  heap: KernelHeap;
  rooms: StageRooms;
  threads: number;
  /** All threads work on an order. */
  run(order: ThreadOrder): Promise<FrameOutcome>;
  /** @throws BadInputError where so many bytes are too many */
  checkMemory(bytes: number): void;
}

export interface BakeWish {
  plan: FramePlan;
  request: FrameRequest;
  scene: CompiledScene;
  /** Bytes that it takes. */
  sceneBytes: number;
  control: Int32Array;
}

export class ProbeBakes {
  private readonly kept = new Map<string, Float32Array>();
  /** Asked before anything is baked, and given what was. */
  store: ProbeStore | null = null;

  constructor(private readonly team: BakeTeam) {}

  /** @returns whether a frame would have to wait for its probes */
  lacks({ stages }: FramePlan): boolean {
    const { options, key } = stages[PROBES];
    return options !== null && this.team.rooms.stands('probes') !== key && !this.kept.has(key);
  }

  /** Puts the probes of a frame in place, baked where they are not known. @returns null where it asks for none */
  async bakeFor(wish: BakeWish): Promise<BakedProbes | null> {
    const planned = wish.plan.stages[PROBES];
    const options = planned.options as ProbeOptions | null;
    if (options === null) return null;
    const { rooms } = this.team;
    if (this.lacks(wish.plan)) await this.fetch(planned.key, options.probes);
    const outcome = this.lacks(wish.plan) ? await this.bake(wish, options, planned.key) : null;
    rooms.orderOf(planned);
    const { probes } = rooms.viewsOf('probes', planned.arena) as ProbeViews;
    if (!outcome && rooms.stands('probes') !== planned.key) {
      probes.set(this.kept.get(planned.key)!);
      rooms.setStands('probes', planned.key);
    }
    if (outcome?.finished) {
      this.keep(planned.key, probes.slice());
      await this.store?.save(planned.key, this.kept.get(planned.key)!);
    }
    const { boxes, probes: count, follows, behind, timeSeconds } = options;
    const took = { seconds: outcome?.seconds ?? 0, stages: outcome?.stages ?? null };
    return { boxes, count, ...countStates(probes), ...took, follows, behind, timeSeconds };
  }

  private async fetch(key: string, count: number): Promise<void> {
    const probes = await this.store?.load(key);
    if (probes?.length === count * PROBE_STRIDE) this.keep(key, probes);
  }

  private async bake({ request, scene, sceneBytes, control }: BakeWish, options: ProbeOptions, key: string) {
    const { heap, rooms, threads, run, checkMemory } = this.team;
    const order = bakeOrder(request, options.timeSeconds);
    const plan = planFrame(scene, order, threads, true);
    if (plan.stages[PROBES].key !== key) throw new Error('Probes would be baked for another frame.');
    checkMemory(plan.stages.reduce((sum, s) => sum + s.bytes, plan.bytes + sceneBytes));
    const stages = plan.stages.map((stage) => rooms.orderOf(stage));
    const region = heap.allocate(plan.bytes);
    const { camera, timeSeconds, seed } = order;
    const job: FrameJob = { ...plan.frame, camera, timeSeconds, seed, samplesBefore: 0, keepSamples: false };
    const takesPart = STAGE_NAMES.filter((_, i) => stages[i].options !== null);
    for (const name of takesPart) rooms.setStands(name, '');
    try {
      const outcome = await run({ job, stages, frame: { region, arena: plan.arena }, control });
      for (const name of takesPart) rooms.setStands(name, outcome.stands[STAGE_NAMES.indexOf(name)]);
      return outcome;
    } finally {
      heap.release(region);
    }
  }

  private keep(key: string, probes: Float32Array): void {
    this.kept.set(key, probes);
    let bytes = [...this.kept.values()].reduce((sum, set) => sum + set.byteLength, 0);
    for (const [old, { byteLength }] of this.kept) {
      // the newest is what a frame is about to ask
      if (old === key || (this.kept.size <= KEPT && bytes <= KEPT_BYTES)) break;
      this.kept.delete(old);
      bytes -= byteLength;
    }
  }
}

const PROBES = STAGE_NAMES.indexOf('probes');

/** Time of a frame that is baked for by itself. */
export function withBaking(
  { seconds, stages }: FrameOutcome,
  probes: BakedProbes,
): Pick<FrameOutcome, 'seconds' | 'stages'> | null {
  if (!probes.stages) return null;
  const both = Object.entries(stages).map(([id, s]) => [id, s + probes.stages![id as StageId]]);
  return { seconds: seconds + probes.seconds, stages: Object.fromEntries(both) as FrameOutcome['stages'] };
}

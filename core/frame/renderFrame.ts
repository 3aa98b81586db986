/**
 * One frame, from scene to display picture. Every thread of the team runs this same program on shared memory; preview,
 * still and sequence differ only in the job they pass.
 */
import type { CompiledScene } from '../scene/compiled';
import { drawnScene } from '../scene/detail';
import type { EnvironmentPicture } from '../scene/source';
import { StageClock } from './clock';
import type { FrameHooks, FrameJob, FrameOutcome } from './frameJob';
import { computedViews, type FrameViews } from './frameMemory';
import { samplePattern, type FrameWork, type StageViews } from './frameWork';
import { createLens } from './lens';
import { lookAt } from './look';
import { pathSamples } from './pathSamples';
import { createRasterizer, type Rasterizer } from './rasterizer';
import { rasterSamples } from './rasterSamples';
import { computedRect } from './scaling';
import { openStages, type StageOrder } from './stages/openStages';
import { Team } from './team';

/** All memory a frame works in. */
export interface FrameMemory {
  stages: StageViews;
  frame: FrameViews;
  /** Holds all of it, when the compiled loops can work on it. */
  memory: WebAssembly.Memory | null;
}

export interface FrameScene {
  scene: CompiledScene;
  /** Of the surroundings, where they are one. */
  picture: EnvironmentPicture | null;
}

export function renderFrame(
  given: FrameScene,
  job: FrameJob,
  orders: readonly StageOrder[],
  memory: FrameMemory,
  team: Team,
  hooks: FrameHooks,
): FrameOutcome {
  const started = hooks.now();
  const work = workOn(given, job, memory, new StageClock(memory.frame.timers, team, hooks.now), team);
  const lens = createLens(work);
  const outcome = (finished: boolean, samples: number, stands: string[]): FrameOutcome => ({
    ...{ finished, samples, stands, stages: work.clock.seconds() },
    seconds: (hooks.now() - started) / 1000,
  });
  const { samples, shutter } = job.settings;
  // developing alone touches nothing that stands
  if (job.keepSamples)
    return outcome(
      lens.develop(samples, true),
      samples,
      orders.map((o) => o.stands),
    );
  const stages = openStages(work, orders);
  if (job.bakes) return outcome(stages.prepare(lookAt(work.scene, work, 0)), 0, stages.stands());
  const method = job.settings.path
    ? pathSamples(work, job.settings.path, lens, hooks)
    : rasterSamples(work, stages.eye, lens, (n) => hooks.onPicture?.(n));
  for (let instant = 0; instant < shutter; instant++) {
    const look = lookAt(work.scene, work, instant);
    if (!stages.prepare(look) || !method.draw(look)) return outcome(false, method.done(), stages.stands());
  }
  return outcome(true, method.done(), stages.stands());
}

function workOn(
  { scene: source, picture }: FrameScene,
  job: FrameJob,
  { stages, frame: whole, memory }: FrameMemory,
  clock: StageClock,
  team: Team,
): FrameWork {
  const { settings, levels, regions } = job;
  let rasterizer: Rasterizer | null = null;
  const work: FrameWork = {
    ...job,
    ...stages,
    ...{ source, picture, whole, memory, clock, team },
    scene: levels ? drawnScene(source, levels, stages.geometry) : source,
    frame: computedViews(whole, settings),
    pattern: samplePattern(job),
    parts: regions ? regions.map((r) => computedRect(r, settings)) : null,
    rasterizer: () => (rasterizer ??= createRasterizer(work)),
  };
  return work;
}

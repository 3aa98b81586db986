/** What a render thread does, wherever it runs: keeps scenes, and takes its part in frames. */
import type { Checkpoint } from '../trace/checkpoint';
import { unpackScene } from '../scene/packScene';
import type { CompiledScene } from '../scene/compiled';
import type { EnvironmentPicture, EnvironmentSource } from '../scene/source';
import { framePlan, posePlan, shadowPlan, type ShadowNeeds } from './frameMemory';
import { frameSettings } from './frameSettings';
import { arenaViews } from './memory';
import { renderFrame, type FrameJob, type FrameOutcome } from './renderFrame';
import { Team } from './team';

export type ToThread =
  | { type: 'scene'; id: string; buffer: ArrayBufferLike }
  | { type: 'picture'; id: string; width: number; height: number; rgb: Float32Array }
  | { type: 'forget'; id: string }
  | {
      type: 'frame';
      ticket: number;
      sceneId: string;
      job: FrameJob;
      needs: ShadowNeeds;
      /** The pose has a ray structure. */
      rays: boolean;
      poseBuffer: ArrayBufferLike;
      /** What `poseBuffer` belongs to, when the compiled loops can work on it. */
      poseMemory: WebAssembly.Memory | null;
      shadowBuffer: ArrayBufferLike;
      frameBuffer: ArrayBufferLike;
      control: Int32Array;
      index: number;
      size: number;
    };

export type FromThread =
  | { type: 'picture'; ticket: number; samples: number }
  | { type: 'checkpoint'; ticket: number; checkpoint: Checkpoint }
  | { type: 'done'; ticket: number; index: number; outcome: FrameOutcome }
  | { type: 'failed'; ticket: number; index: number; message: string };

/** @returns the handler of messages to this thread */
export function createThreadProgram(post: (message: FromThread) => void, now: () => number): (m: ToThread) => void {
  const scenes = new Map<string, CompiledScene>();
  const pictures = new Map<string, EnvironmentPicture>();
  return (m) => {
    if (m.type === 'scene') {
      scenes.set(m.id, unpackScene(m.buffer as ArrayBuffer));
    } else if (m.type === 'picture') {
      pictures.set(m.id, { width: m.width, height: m.height, rgb: m.rgb });
    } else if (m.type === 'forget') {
      scenes.delete(m.id);
    } else {
      try {
        post({ type: 'done', ticket: m.ticket, index: m.index, outcome: runFrame(scenes, pictures, m, post, now) });
      } catch (error) {
        post({ type: 'failed', ticket: m.ticket, index: m.index, message: (error as Error).message });
      }
    }
  };
}

function runFrame(
  scenes: Map<string, CompiledScene>,
  pictures: Map<string, EnvironmentPicture>,
  m: Extract<ToThread, { type: 'frame' }>,
  post: (message: FromThread) => void,
  now: () => number,
): FrameOutcome {
  const scene = scenes.get(m.sceneId);
  if (!scene) throw new Error(`scene ${m.sceneId} was not given to this thread`);
  const plan = framePlan(scene, frameSettings(m.job.recipe, m.job.view), m.needs.largest);
  const arenas = {
    pose: arenaViews(posePlan(scene, m.rays), m.poseBuffer),
    shadows: arenaViews(shadowPlan(m.needs), m.shadowBuffer),
    frame: arenaViews(plan, m.frameBuffer),
    memory: m.poseMemory,
  };
  const picture = environmentPicture(scene, pictures, m.job.lighting.environment);
  const onPicture = (samples: number): void => post({ type: 'picture', ticket: m.ticket, samples });
  const onCheckpoint = (checkpoint: Checkpoint): void => post({ type: 'checkpoint', ticket: m.ticket, checkpoint });
  const team = new Team(m.index, m.size, m.control);
  try {
    return renderFrame(scene, picture, m.job, arenas, team, { now, onPicture, onCheckpoint });
  } catch (error) {
    team.abort();
    throw error;
  }
}

function environmentPicture(
  scene: CompiledScene,
  pictures: Map<string, EnvironmentPicture>,
  environment: EnvironmentSource,
): EnvironmentPicture | null {
  if (environment.kind !== 'picture') return null;
  const own = scene.meta.environmentPicture;
  if (environment.picture === 'scene') return own ? { ...own, rgb: scene.environmentPicture } : null;
  return pictures.get(environment.picture ?? '') ?? null;
}

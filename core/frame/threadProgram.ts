/** What a render thread does, wherever it runs: keeps scenes, and takes its part in frames. */
import type { Region } from '@daxel/kernel/heap';
import { adoptKernel, bindKernel } from '@daxel/kernel/load';
import { environmentReflectance } from '../raster/reflectance';
import type { Checkpoint } from '../trace/checkpoint';
import { unpackScene } from '../scene/packScene';
import type { CompiledScene } from '../scene/compiled';
import type { EnvironmentPicture } from '../scene/source';
import { kindOf } from '../light/surroundings/kinds';
import type { EnvironmentSource } from '../light/surroundings/document';
import type { FrameJob, FrameOutcome } from './frameJob';
import type { FrameViews } from './frameMemory';
import type { StageViews } from './frameWork';
import { arenaViews, type ArenaPlan, type ArenaViews } from './memory';
import { renderFrame, type FrameMemory } from './renderFrame';
import type { StageOrder } from './stages/openStages';
import { Team } from './team';

interface HeldScene {
  scene: CompiledScene;
  /** It lies where the compiled loops can work on it. */
  inKernel: boolean;
}

/** Memory, and how it is divided. */
interface Room {
  region: Region;
  arena: ArenaPlan;
}
export interface StageMessage extends StageOrder, Room {}

export type ToThread =
  | { type: 'memory'; memory: WebAssembly.Memory; kernel: WebAssembly.Module }
  | { type: 'scene'; id: string; region: Region }
  | { type: 'picture'; id: string; width: number; height: number; rgb: Float32Array }
  | { type: 'forget'; id: string }
  | {
      type: 'frame';
      ticket: number;
      job: FrameJob;
      stages: StageMessage[];
      frame: Room;
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
  const scenes = new Map<string, HeldScene>();
  const pictures = new Map<string, EnvironmentPicture>();
  let memory: WebAssembly.Memory | null = null;
  return (m) => {
    if (m.type === 'memory') {
      adoptKernel(m.kernel);
      memory = m.memory;
      // there is time for it now: the first frame would wait for it
      bindKernel(memory);
      environmentReflectance();
    } else if (m.type === 'scene') {
      scenes.set(m.id, {
        scene: unpackScene(m.region.buffer as ArrayBuffer, m.region.base),
        inKernel: m.region.inKernel,
      });
    } else if (m.type === 'picture') {
      pictures.set(m.id, { width: m.width, height: m.height, rgb: m.rgb });
    } else if (m.type === 'forget') {
      scenes.delete(m.id);
    } else {
      try {
        post({
          type: 'done',
          ticket: m.ticket,
          index: m.index,
          outcome: runFrame(scenes, pictures, memory, m, post, now),
        });
      } catch (error) {
        post({ type: 'failed', ticket: m.ticket, index: m.index, message: (error as Error).message });
      }
    }
  };
}

function runFrame(
  scenes: Map<string, HeldScene>,
  pictures: Map<string, EnvironmentPicture>,
  memory: WebAssembly.Memory | null,
  m: Extract<ToThread, { type: 'frame' }>,
  post: (message: FromThread) => void,
  now: () => number,
): FrameOutcome {
  const held = scenes.get(m.job.sceneId);
  if (!held) throw new Error(`scene ${m.job.sceneId} was not given to this thread`);
  const { scene } = held;
  const views = ({ arena, region }: Room): ArenaViews<ArenaPlan> => arenaViews(arena, region.buffer, region.base);
  const regions = [m.frame, ...m.stages].map((r) => r.region);
  const room: FrameMemory = {
    stages: Object.fromEntries(m.stages.map((s) => [s.name, views(s)])) as unknown as StageViews,
    frame: views(m.frame) as FrameViews,
    // of no use to the loops unless all they read is in it
    memory: held.inKernel && regions.every((r) => r.inKernel) ? memory : null,
  };
  const picture = environmentPicture(scene, pictures, m.job.lighting.environment);
  const onPicture = (samples: number): void => post({ type: 'picture', ticket: m.ticket, samples });
  const onCheckpoint = (checkpoint: Checkpoint): void => post({ type: 'checkpoint', ticket: m.ticket, checkpoint });
  const team = new Team(m.index, m.size, m.control);
  try {
    return renderFrame({ scene, picture }, m.job, m.stages, room, team, { now, onPicture, onCheckpoint });
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
  const name = kindOf(environment).pictureName(environment);
  if (name === null) return null;
  const own = scene.meta.environmentPicture;
  if (name === 'scene') return own ? { ...own, rgb: scene.environmentPicture } : null;
  return pictures.get(name) ?? null;
}

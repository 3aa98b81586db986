/** What a render thread does, wherever it runs: keeps scenes, and takes its part in frames. */
import { unpackScene } from '../scene/packScene';
import type { CompiledScene } from '../scene/compiled';
import { framePlan, posePlan } from './frameMemory';
import { arenaViews } from './memory';
import { renderFrame, type FrameJob, type FrameOutcome } from './renderFrame';
import { Team } from './team';

export type ToThread =
  | { type: 'scene'; id: string; buffer: ArrayBufferLike }
  | { type: 'forget'; id: string }
  | {
      type: 'frame';
      ticket: number;
      sceneId: string;
      job: FrameJob;
      shadowTexels: number;
      shadowBlocks: number;
      largestShadowMap: number;
      poseBuffer: ArrayBufferLike;
      frameBuffer: ArrayBufferLike;
      control: Int32Array;
      index: number;
      size: number;
    };

export type FromThread =
  | { type: 'picture'; ticket: number; samples: number }
  | { type: 'done'; ticket: number; index: number; outcome: FrameOutcome }
  | { type: 'failed'; ticket: number; index: number; message: string };

/** @returns the handler of messages to this thread */
export function createThreadProgram(post: (message: FromThread) => void, now: () => number): (m: ToThread) => void {
  const scenes = new Map<string, CompiledScene>();
  return (m) => {
    if (m.type === 'scene') {
      scenes.set(m.id, unpackScene(m.buffer as ArrayBuffer));
    } else if (m.type === 'forget') {
      scenes.delete(m.id);
    } else {
      try {
        post({ type: 'done', ticket: m.ticket, index: m.index, outcome: runFrame(scenes, m, post, now) });
      } catch (error) {
        post({ type: 'failed', ticket: m.ticket, index: m.index, message: (error as Error).message });
      }
    }
  };
}

function runFrame(
  scenes: Map<string, CompiledScene>,
  m: Extract<ToThread, { type: 'frame' }>,
  post: (message: FromThread) => void,
  now: () => number,
): FrameOutcome {
  const scene = scenes.get(m.sceneId);
  if (!scene) throw new Error(`scene ${m.sceneId} was not given to this thread`);
  const pose = arenaViews(posePlan(scene, m.shadowTexels, m.shadowBlocks), m.poseBuffer);
  const { recipe } = m.job;
  const plan = framePlan(
    scene,
    recipe['output.width'] as number,
    recipe['output.height'] as number,
    m.largestShadowMap,
  );
  const frame = arenaViews(plan, m.frameBuffer);
  const onPicture = (samples: number): void => post({ type: 'picture', ticket: m.ticket, samples });
  const team = new Team(m.index, m.size, m.control);
  try {
    return renderFrame(scene, m.job, pose, frame, team, { now, onPicture });
  } catch (error) {
    team.abort();
    throw error;
  }
}

/** Averages what a frame shows with the frames before it, in place. */
import { exp2 } from '../math/exact';
import { ROW_BLOCK } from './frameMemory';
import type { FrameWork } from './frameWork';
import { accumulateRows, keepRows, type HistoryInput } from './history';
import { seeThroughInstances } from './materialRules';
import { momentAt } from './moment';
import { pointMotion } from './motion';

/** @returns false when cancelled */
export function accumulate(work: FrameWork, samples: number): boolean {
  const { scene, settings, history, frame, team, clock, camera, timeSeconds, instants } = work;
  if (!settings.history || !history) return true;
  const { width, height } = settings.render;
  const { before } = history;
  const seen = { timeSeconds: instants[0], camera: momentAt(scene, camera, timeSeconds, instants[0]).camera };
  const motion =
    before &&
    pointMotion({
      scene,
      width,
      height,
      depth: frame.depth,
      objectId: frame.objectId,
      seeThrough: seeThroughInstances(scene),
      overlaid: frame.overlaid,
      behind: settings.path ? 'unknown' : 'background',
      ...seen,
      nextCamera: before.camera,
      nextTimeSeconds: before.timeSeconds,
    });
  const input: HistoryInput = {
    width,
    height,
    sums: frame.sums,
    samples,
    depth: frame.depth,
    objectId: frame.objectId,
    before: frame.history,
    after: frame.historyNext,
    depthBefore: frame.historyDepth,
    idBefore: frame.historyId,
    motion,
    white: exp2(-settings.exposureEv),
    ...settings.history,
  };
  const rows = (run: typeof accumulateRows) =>
    clock.timed('samples', (b) => run(input, b * ROW_BLOCK, Math.min(height, (b + 1) * ROW_BLOCK)));
  const blocks = Math.ceil(height / ROW_BLOCK);
  return team.share(blocks, rows(accumulateRows)) && team.share(blocks, rows(keepRows));
}

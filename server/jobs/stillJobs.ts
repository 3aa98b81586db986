/** Stills from request to files. */
import { randomUUID } from 'node:crypto';
import { STILL_FILES, type Shot, type Still, type StillRequest } from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import type { Rig } from '@daxel/core/light/rig';
import { kindOf } from '@daxel/core/light/surroundings/kinds';
import { recipeHash, resolveRecipe, totalSamples } from '@daxel/core/recipe/recipe';
import { findShot, shotCamera, withSetup } from '@daxel/core/scene/shotCamera';
import { openCompiled } from '../import/scenes';
import type { StillOrder } from '../render/renderProcess';
import * as sql from '../sql/stills';
import type { FileStore } from '../store/fileStore';
import type { JobKind, JobTools, Live, Made } from './jobKind';

const SAVE_PROGRESS_MS = 2000;

export class StillJobs implements JobKind<sql.StillRow, 'picture'> {
  readonly name = 'still';
  /** When the progress of the one that is made was written last, milliseconds. */
  private saved = 0;

  constructor(private readonly tools: JobTools) {}

  async unfinished(): Promise<string[]> {
    return (await sql.openStills(this.tools.db)).map((s) => s.id);
  }

  async start(): Promise<void> {
    const { db, queue } = this.tools;
    for (const still of await sql.openStills(db)) {
      await sql.requeueStill(db, still.id);
      // one whose request died between its row and its job has none; one that many servers died with has used its job up
      const waits = still.jobId !== null && (await queue.isOpen(still.jobId));
      if (!waits) await this.queue(still.id);
    }
  }

  async request(shot: Shot & { compiledHash: string }, request: StillRequest): Promise<Still> {
    const resolved = resolveRecipe(shot.recipe, request.tier);
    const camera = request.camera ?? (await shotCameraOf(this.tools, shot));
    const id = randomUUID();
    await sql.insertStill(this.tools.db, {
      id,
      shotId: shot.id,
      tier: request.tier,
      camera,
      freeView: request.camera !== undefined,
      frame: shot.frame,
      width: resolved['output.width'] as number,
      height: resolved['output.height'] as number,
      samples: totalSamples(resolved),
      recipe: shot.recipe,
      recipeHash: recipeHash(resolved),
      rig: rigOf(shot),
    });
    await this.queue(id);
    return this.announce(id);
  }

  async cancel(id: string): Promise<Still> {
    const { db, queue, runner } = this.tools;
    const still = await this.find(id);
    if (still.state !== 'queued' && still.state !== 'running')
      throw new BadInputError(`This still is ${still.state} already; there is nothing to cancel.`);
    await sql.endStill(db, id, { state: 'cancelled', message: null });
    if (!runner.halt(id) && still.jobId) await queue.cancel(still.jobId);
    return this.announce(id);
  }

  /** A still with what is known of it right now. */
  present(row: sql.StillRow, now = this.tools.runner.live(row.id)): Still {
    // for a moment one that has ended is still in hands
    const live = row.state === 'running' ? now : undefined;
    const { jobId: _job, sceneId: _scene, compiledHash: _hash, rate: _rate, seed: _seed, files, ...rest } = row;
    const progress = live?.progress ?? row.progress;
    const elapsed = live ? (performance.now() - live.since) / 1000 : 0;
    return {
      ...rest,
      progress,
      formed: live?.formed ?? 0,
      secondsLeft: live && progress > 0.01 ? (elapsed * (1 - progress)) / progress : null,
      files: files.map(({ kind, bytes }) => ({ kind, bytes })),
    };
  }

  async announce(id: string): Promise<Still> {
    const still = this.present(await this.find(id));
    this.tools.events.send({ type: 'still', still });
    return still;
  }

  tell(row: sql.StillRow, live: Live): void {
    this.tools.events.send({ type: 'still', still: this.present(row, live) });
    const now = performance.now();
    if (now - Math.max(live.since, this.saved) < SAVE_PROGRESS_MS) return;
    this.saved = now;
    void sql.setStillProgress(this.tools.db, row.id, live.progress).catch(() => undefined);
  }

  async begin(id: string): Promise<sql.StillRow | null> {
    const started = await sql.startStill(this.tools.db, id);
    const row = started ? await sql.findStill(this.tools.db, id) : undefined;
    return row?.state === 'running' ? row : null;
  }

  part(): 'picture' {
    return 'picture';
  }

  async take(row: sql.StillRow, _part: 'picture', made: Made): Promise<void> {
    if (made.type !== 'done') return;
    const files: sql.StillRow['files'] = [];
    for (const { kind, path } of made.files) files.push({ kind, ...(await this.tools.files.adopt(path)) });
    const { stages, seconds } = made.report;
    const { beautyHash } = made;
    await sql.endStill(this.tools.db, row.id, { state: 'done', stages, seconds, beautyHash, files });
  }

  async finish(): Promise<void> {
    // its one picture has ended it
  }

  fail(id: string, message: string): Promise<void> {
    return sql.endStill(this.tools.db, id, { state: 'failed', message });
  }

  tooMuch(): string {
    return 'The renderer ended four times on this still. Lower its size or the shadow resolution.';
  }

  again(id: string): Promise<void> {
    return sql.requeueStill(this.tools.db, id);
  }

  async next(): Promise<void> {
    // each has a job of its own
  }

  private async queue(id: string): Promise<void> {
    await sql.setStillJob(this.tools.db, id, await this.tools.queue.add('still', id));
  }

  private async find(id: string): Promise<sql.StillRow> {
    const row = await sql.findStill(this.tools.db, id);
    if (!row) throw new BadInputError('There is no such still.');
    return row;
  }

  async order(row: sql.StillRow): Promise<StillOrder> {
    const { files } = this.tools;
    return {
      type: 'still',
      orderId: row.id,
      scenePath: files.path(row.compiledHash),
      sceneKey: row.compiledHash,
      bakedDir: files.baked,
      recipe: resolveRecipe(row.recipe, row.tier),
      rig: row.rig,
      picturePath: picturePath(files, row.rig),
      recipeHash: row.recipeHash,
      tier: row.tier,
      camera: row.camera,
      frame: row.frame,
      rate: row.rate,
      timeSeconds: row.frame / row.rate,
      seed: row.seed,
      forms: STILL_FILES,
      outDir: files.temporary,
      checkpointPath: files.unfinished(row.id),
    };
  }
}

/** The camera of a shot at the frame it is shown at. */
export async function shotCameraOf(
  { db, files }: Pick<JobTools, 'db' | 'files'>,
  shot: Shot & { compiledHash: string },
): Promise<Still['camera']> {
  const scene = await openCompiled(db, files, shot.compiledHash);
  const source = withSetup(findShot(scene, shot.name), shot);
  const { world, ...view } = shotCamera(scene, source, shot.frame / shot.rate);
  return { world: [...world], ...view };
}

/** Where the environment picture of a rig is kept, when it has one of its own. */
export function picturePath(files: FileStore, rig: Rig | null): string | null {
  const picture = rig && kindOf(rig.environment).pictureName(rig.environment);
  return picture && picture !== 'scene' ? files.path(picture) : null;
}

/** The rig a shot is shown in, without its id; null for the scene's own light. */
export function rigOf(shot: Shot): Rig | null {
  const chosen = shot.rigs.find((r) => r.id === shot.rigId);
  if (!chosen) return null;
  const { id: _id, ...rig } = chosen;
  return rig;
}

/** Stills from request to files: what the routes call and what the queue's worker runs. */
import { randomUUID } from 'node:crypto';
import { STILL_FILES, type Shot, type Still, type StillRequest } from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import type { Rig } from '@daxel/core/light/rig';
import { kindOf } from '@daxel/core/light/surroundings/kinds';
import { recipeHash, resolveRecipe, totalSamples } from '@daxel/core/recipe/recipe';
import { findShot, shotCamera, withSetup } from '@daxel/core/scene/shotCamera';
import type { Database } from '../db/database';
import type { EventStream } from '../http/eventStream';
import { openCompiled, soundCompiled } from '../import/scenes';
import type { FromRenderProcess } from '../render/renderProcess';
import * as sql from '../sql/stills';
import type { FileStore } from '../store/fileStore';
import type { Queue } from './queue';
import { RenderProcessGone, RenderService } from './renderService';

/** What is known of a running still only while it runs. */
interface Live {
  since: number;
  progress: number;
  formed: number;
  saved: number;
}

const SAVE_PROGRESS_MS = 2000;

export class StillJobs {
  readonly renderer = new RenderService();
  private readonly live = new Map<string, Live>();
  /** The newest that forms. It outlives its still for the moment in which a page has yet to hear of the end. */
  private picture: { id: string; png: Uint8Array } | null = null;
  stopping = false;

  constructor(
    private readonly db: Database,
    private readonly files: FileStore,
    private readonly queue: Queue,
    private readonly events: EventStream,
  ) {}

  /** Stills whose renders half way are still of use. */
  async unfinished(): Promise<string[]> {
    return (await sql.openStills(this.db)).map((s) => s.id);
  }

  /** Takes the jobs up again that an earlier server left open. */
  async start(): Promise<void> {
    const open = await sql.openStills(this.db);
    for (const still of open) {
      await sql.requeueStill(this.db, still.id);
      // one whose request died between its row and its job has none; one that many servers died with has used its job up
      const waits = still.jobId !== null && (await this.queue.isOpen(still.jobId));
      if (!waits) await sql.setStillJob(this.db, still.id, await this.queue.add('still', still.id));
    }
  }

  stop(): void {
    this.stopping = true;
    this.renderer.stop();
  }

  async request(shot: Shot & { compiledHash: string }, request: StillRequest): Promise<Still> {
    const resolved = resolveRecipe(shot.recipe, request.tier);
    const camera = request.camera ?? (await this.cameraOf(shot));
    const id = randomUUID();
    await sql.insertStill(this.db, {
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
    await sql.setStillJob(this.db, id, await this.queue.add('still', id));
    return this.announce(id);
  }

  async cancel(id: string): Promise<Still> {
    const still = await sql.findStill(this.db, id);
    if (!still) throw new BadInputError('There is no such still.');
    if (still.state !== 'queued' && still.state !== 'running')
      throw new BadInputError(`This still is ${still.state} already; there is nothing to cancel.`);
    await sql.endStill(this.db, id, { state: 'cancelled', message: null });
    this.renderer.cancel(id);
    if (still.jobId && !this.live.has(id)) await this.queue.cancel(still.jobId);
    this.live.delete(id);
    return this.announce(id);
  }

  forming(id: string): Uint8Array | null {
    return this.picture?.id === id ? this.picture.png : null;
  }

  /** A still with what is known of it right now. */
  present(row: sql.StillRow): Still {
    const live = this.live.get(row.id);
    const { jobId: _job, sceneId: _scene, compiledHash: _hash, rate: _rate, seed: _seed, files, ...rest } = row;
    const progress = live && row.state === 'running' ? live.progress : row.progress;
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
    const row = await sql.findStill(this.db, id);
    if (!row) throw new BadInputError('There is no such still.');
    const still = this.present(row);
    this.events.send({ type: 'still', still });
    return still;
  }

  async cameraOf(shot: Shot & { compiledHash: string }): Promise<Still['camera']> {
    const scene = await openCompiled(this.db, this.files, shot.compiledHash);
    const source = withSetup(findShot(scene, shot.name), shot);
    const { world, ...view } = shotCamera(scene, source, shot.frame / shot.rate);
    return { world: [...world], ...view };
  }

  /** Works on a still whose turn it is. */
  async run(id: string, attemptsLeft: number): Promise<void> {
    const row = await sql.findStill(this.db, id);
    if (!row || !(await sql.startStill(this.db, id))) return;
    const live: Live = { since: performance.now(), progress: 0, formed: 0, saved: performance.now() };
    this.live.set(id, live);
    const current = { ...row, state: 'running' as const, startedAt: new Date().toISOString(), progress: 0 };
    this.events.send({ type: 'still', still: this.present(current) });
    try {
      const compiledHash = await soundCompiled(this.db, this.files, row.compiledHash);
      const end = await this.renderer.render(this.order({ ...row, compiledHash }), (m) =>
        this.onMessage(current, live, m),
      );
      if (end.type === 'done') {
        const files: sql.StillRow['files'] = [];
        for (const { kind, path } of end.files) files.push({ kind, ...(await this.files.adopt(path)) });
        const { stages, seconds } = end.report;
        await sql.endStill(this.db, id, { state: 'done', stages, seconds, beautyHash: end.beautyHash, files });
      } else if (end.type === 'failed') {
        await sql.endStill(this.db, id, { state: 'failed', message: end.message });
      }
    } catch (error) {
      if (this.stopping) throw error;
      if (error instanceof RenderProcessGone && attemptsLeft > 0) {
        await sql.requeueStill(this.db, id);
        throw error; // the queue tries again
      }
      const message =
        error instanceof RenderProcessGone
          ? 'The renderer ended four times on this still. Lower its size or the shadow resolution.'
          : (error as Error).message;
      await sql.endStill(this.db, id, { state: 'failed', message });
    } finally {
      if (!this.stopping) {
        this.live.delete(id);
        await this.announce(id).catch(() => undefined);
      }
    }
  }

  private onMessage(row: sql.StillRow, live: Live, m: FromRenderProcess): void {
    if (m.type === 'progress') live.progress = Math.max(live.progress, m.progress);
    if (m.type === 'picture') {
      this.picture = { id: row.id, png: m.png };
      live.formed++;
    }
    if (!this.live.has(row.id)) return;
    this.events.send({ type: 'still', still: this.present(row) });
    if (performance.now() - live.saved > SAVE_PROGRESS_MS) {
      live.saved = performance.now();
      void sql.setStillProgress(this.db, row.id, live.progress).catch(() => undefined);
    }
  }

  private order(row: sql.StillRow) {
    return {
      type: 'still' as const,
      orderId: row.id,
      scenePath: this.files.path(row.compiledHash),
      sceneKey: row.compiledHash,
      recipe: resolveRecipe(row.recipe, row.tier),
      rig: row.rig,
      picturePath: picturePath(this.files, row.rig),
      recipeHash: row.recipeHash,
      tier: row.tier,
      camera: row.camera,
      frame: row.frame,
      rate: row.rate,
      timeSeconds: row.frame / row.rate,
      seed: row.seed,
      forms: STILL_FILES,
      outDir: this.files.temporary,
      checkpointPath: this.files.unfinished(row.id),
    };
  }
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

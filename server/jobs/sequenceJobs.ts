/**
 * Sequences from request to the last frame. Each frame is a job of its own, so that stills come in between, a failed frame
 * is tried again, and a server that was killed goes on with the first frame that is missing. Sequences are rendered one
 * after the other: only the oldest that is open has a job.
 */
import { randomUUID } from 'node:crypto';
import { STILL_FILES, type Sequence, type SequenceRequest, type Shot } from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import { recipeHash, resolveRecipe, totalSamples } from '@daxel/core/recipe/recipe';
import type { Database } from '../db/database';
import type { EventStream } from '../http/eventStream';
import { soundCompiled } from '../import/scenes';
import type { FrameOrder, FromRenderProcess } from '../render/renderProcess';
import * as sql from '../sql/sequences';
import type { FileStore } from '../store/fileStore';
import type { Queue } from './queue';
import { RenderProcessGone } from './renderService';
import { picturePath, rigOf, type StillJobs } from './stillJobs';

/** Progress within a frame is told that often, ms. */
const TELL_MS = 500;

interface Live {
  progress: number;
  formed: number;
  toldAt: number;
}

export class SequenceJobs {
  private readonly live = new Map<string, Live>();
  /** The last one seen of a frame while it formed; it may be asked for a moment after the frame is finished. */
  private picture: { id: string; png: Uint8Array } | null = null;

  constructor(
    private readonly db: Database,
    private readonly files: FileStore,
    private readonly queue: Queue,
    private readonly events: EventStream,
    private readonly stills: StillJobs,
  ) {}

  /** Takes up what an earlier server left open. */
  async start(): Promise<void> {
    await this.next(null);
  }

  /** Names of files half way that are still of use. */
  async unfinished(): Promise<string[]> {
    return (await sql.unfinishedSequenceIds(this.db)).flatMap((id) => [id, historyName(id)]);
  }

  async request(shot: Shot & { compiledHash: string }, request: SequenceRequest): Promise<Sequence> {
    const resolved = resolveRecipe(shot.recipe, request.tier);
    const { rate, optics, take, path, seed } = shot;
    const id = randomUUID();
    await sql.insertSequence(this.db, {
      id,
      shotId: shot.id,
      request,
      recipe: shot.recipe,
      recipeHash: recipeHash(resolved),
      rig: rigOf(shot),
      setup: { rate, optics, take, path, seed },
      width: resolved['output.width'] as number,
      height: resolved['output.height'] as number,
      samples: totalSamples(resolved),
    });
    await this.next(null);
    return this.announce(id);
  }

  /** Lets the processor go; a path-traced frame keeps what it has. */
  pause(id: string): Promise<Sequence> {
    return this.halt(id, 'paused');
  }

  /** Ends it; finished frames stay. */
  cancel(id: string): Promise<Sequence> {
    return this.halt(id, 'cancelled');
  }

  /** Renders what is missing; frames whose files are gone are missing too. */
  async resume(id: string): Promise<Sequence> {
    const row = await this.find(id);
    const lost: number[] = [];
    for (const { frame, files } of await sql.framesOf(this.db, id)) {
      const whole = await Promise.all(files.map((file) => this.files.isWhole(file)));
      if (whole.includes(false)) lost.push(frame);
    }
    if (row.state === 'done' && lost.length === 0) throw new BadInputError('Every frame of this sequence is there.');
    await sql.dropFrames(this.db, id, lost);
    if (!(await sql.moveSequence(this.db, id, ['paused', 'cancelled', 'failed', 'done'], 'queued')))
      throw new BadInputError('This sequence is being rendered already.');
    await this.next(null);
    return this.announce(id);
  }

  async remove(id: string): Promise<void> {
    const { state } = await this.find(id);
    if (state === 'queued' || state === 'running') await this.cancel(id);
    await sql.setSequenceDeleted(this.db, id, true);
    this.events.send({ type: 'sequence-gone', id });
  }

  async restore(id: string): Promise<Sequence | null> {
    return (await sql.setSequenceDeleted(this.db, id, false)) ? this.announce(id) : null;
  }

  forming(id: string): Uint8Array | null {
    return this.picture?.id === id ? this.picture.png : null;
  }

  present(row: sql.SequenceRow): Sequence {
    const { jobId: _job, compiledHash: _hash, setup, finished, ...rest } = row;
    const { first, last } = row.request;
    const letters = new Array<string>(last - first + 1).fill('.');
    for (const f of finished) letters[f.frame - first] = f.faulty ? '!' : '+';
    const { progress, formed } = this.live.get(row.id) ?? { progress: 0, formed: 0 };
    const left = letters.length - finished.length - progress;
    return {
      ...rest,
      rate: setup.rate,
      map: letters.join(''),
      progress,
      formed,
      secondsLeft: finished.length > 0 ? (row.seconds / finished.length) * Math.max(0, left) : null,
    };
  }

  /** Works on the next missing frame of a sequence whose turn it is. */
  async run(id: string, attemptsLeft: number): Promise<void> {
    // it may have been paused meanwhile, or its project deleted
    const row = (await sql.startSequence(this.db, id)) ? await sql.findSequence(this.db, id) : undefined;
    if (!row) return this.next(id);
    const frame = missingFrame(row);
    try {
      if (frame === null) await sql.moveSequence(this.db, id, ['running'], 'done');
      else await this.renderFrame(row, frame);
    } catch (error) {
      if (this.stills.stopping) throw error;
      const gone = error instanceof RenderProcessGone;
      if (gone && attemptsLeft > 0) throw error; // the queue tries again
      const why = gone
        ? 'the renderer ended four times. Lower the size or the shadow resolution.'
        : (error as Error).message;
      await sql.moveSequence(this.db, id, ['running'], 'failed', `Frame ${frame}: ${why}`);
    } finally {
      this.live.delete(id);
      if (!this.stills.stopping) await this.announce(id).catch(() => undefined);
    }
    await this.next(id);
  }

  private async renderFrame(row: sql.SequenceRow, frame: number): Promise<void> {
    const { id } = row;
    const live: Live = { progress: 0, formed: 0, toldAt: 0 };
    this.live.set(id, live);
    this.events.send({ type: 'sequence', sequence: this.present(row) });
    const compiledHash = await soundCompiled(this.db, this.files, row.compiledHash);
    const end = await this.stills.renderer.render(this.order({ ...row, compiledHash }, frame), (m) =>
      this.onMessage(row, live, m),
    );
    if (end.type === 'failed') throw new BadInputError(end.message);
    if (end.type !== 'done') return;
    const files: sql.FrameFile[] = [];
    for (const { kind, path } of end.files) files.push({ kind, ...(await this.files.adopt(path)) });
    const { mean, faults } = end.check;
    const { seconds } = end.report;
    await sql.saveFrame(this.db, id, { frame, seconds, beautyHash: end.beautyHash, mean, faults, files });
    const after = await this.find(id);
    if (missingFrame(after) !== null) return;
    await sql.moveSequence(this.db, id, ['running'], 'done');
    await this.files.dropOne(historyName(id));
  }

  private onMessage(row: sql.SequenceRow, live: Live, m: FromRenderProcess): void {
    if (m.type === 'progress') live.progress = m.progress;
    if (m.type === 'picture') {
      this.picture = { id: row.id, png: m.png };
      live.formed++;
    }
    const now = performance.now();
    if (now - live.toldAt < TELL_MS || this.live.get(row.id) !== live) return;
    live.toldAt = now;
    this.events.send({ type: 'sequence', sequence: this.present(row) });
  }

  private async halt(id: string, state: 'paused' | 'cancelled'): Promise<Sequence> {
    const from: Sequence['state'][] = state === 'paused' ? ['queued', 'running'] : ['queued', 'running', 'paused'];
    if (!(await sql.moveSequence(this.db, id, from, state))) {
      const row = await this.find(id);
      throw new BadInputError(`This sequence is ${row.state} already.`);
    }
    const live = this.live.has(id);
    this.live.delete(id);
    if (live) this.stills.renderer.cancel(id, state === 'paused');
    else await this.next(null);
    return this.announce(id);
  }

  /**
   * Gives a job to the oldest open sequence, unless it has one.
   * @param ending whose job is about to end, and so does not count
   */
  private async next(ending: string | null): Promise<void> {
    const [oldest] = await sql.openSequences(this.db);
    if (!oldest) return;
    const waits = oldest.jobId !== null && oldest.id !== ending && (await this.queue.isOpen(oldest.jobId));
    if (!waits) await sql.setSequenceJob(this.db, oldest.id, await this.queue.add('sequence', oldest.id));
  }

  private order(row: sql.SequenceRow, frame: number): FrameOrder {
    const { request, setup } = row;
    const { optics, take, path } = setup;
    const forms = STILL_FILES.filter((f) => f === 'png8' || request.forms.includes(f));
    return {
      type: 'frame',
      orderId: row.id,
      scenePath: this.files.path(row.compiledHash),
      sceneKey: row.compiledHash,
      recipe: resolveRecipe(row.recipe, request.tier),
      rig: row.rig,
      picturePath: picturePath(this.files, row.rig),
      recipeHash: row.recipeHash,
      tier: request.tier,
      shot: { name: row.shotName, optics, take, path, rate: setup.rate },
      first: request.first,
      frame,
      rate: setup.rate,
      timeSeconds: frame / setup.rate,
      seed: setup.seed,
      forms,
      outDir: this.files.temporary,
      checkpointPath: this.files.unfinished(row.id),
      historyPath: this.files.unfinished(historyName(row.id)),
    };
  }

  private async find(id: string): Promise<sql.SequenceRow> {
    const row = await sql.findSequence(this.db, id);
    if (!row) throw new BadInputError('There is no such sequence.');
    return row;
  }

  private async announce(id: string): Promise<Sequence> {
    const sequence = this.present(await this.find(id));
    this.events.send({ type: 'sequence', sequence });
    return sequence;
  }
}

function missingFrame({ request, finished }: sql.SequenceRow): number | null {
  const there = new Set(finished.map((f) => f.frame));
  for (let n = request.first; n <= request.last; n++) if (!there.has(n)) return n;
  return null;
}

function historyName(id: string): string {
  return `${id}-history`;
}

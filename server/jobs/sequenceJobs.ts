/**
 * Sequences from request to the last frame. Each frame is a job of its own, so that stills come in between, a failed frame
 * is tried again, and a server that was killed goes on with the first frame that is missing. Sequences are rendered one
 * after the other: only the oldest that is open has a job.
 */
import { randomUUID } from 'node:crypto';
import { STILL_FILES, type Sequence, type SequenceRequest, type Shot } from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import { recipeHash, resolveRecipe, totalSamples } from '@daxel/core/recipe/recipe';
import type { FrameOrder } from '../render/renderProcess';
import * as sql from '../sql/sequences';
import type { JobKind, JobTools, Live, Made } from './jobKind';
import { picturePath, rigOf } from './stillJobs';

/** Progress within a frame is told that often, ms. */
const TELL_MS = 500;

export class SequenceJobs implements JobKind<sql.SequenceRow, number> {
  readonly name = 'sequence';
  private toldAt = 0;

  constructor(private readonly tools: JobTools) {}

  async start(): Promise<void> {
    await this.giveTurn(null);
  }

  async unfinished(): Promise<string[]> {
    return (await sql.unfinishedSequenceIds(this.tools.db)).flatMap((id) => [id, historyName(id)]);
  }

  async request(shot: Shot & { compiledHash: string }, request: SequenceRequest): Promise<Sequence> {
    const resolved = resolveRecipe(shot.recipe, request.tier);
    const { rate, optics, take, path, seed } = shot;
    const id = randomUUID();
    await sql.insertSequence(this.tools.db, {
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
    await this.giveTurn(null);
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
    for (const { frame, files } of await sql.framesOf(this.tools.db, id)) {
      const whole = await Promise.all(files.map((file) => this.tools.files.isWhole(file)));
      if (whole.includes(false)) lost.push(frame);
    }
    if (row.state === 'done' && lost.length === 0) throw new BadInputError('Every frame of this sequence is there.');
    await sql.dropFrames(this.tools.db, id, lost);
    if (!(await sql.moveSequence(this.tools.db, id, ['paused', 'cancelled', 'failed', 'done'], 'queued')))
      throw new BadInputError('This sequence is being rendered already.');
    await this.giveTurn(null);
    return this.announce(id);
  }

  async remove(id: string): Promise<void> {
    const { state } = await this.find(id);
    if (state === 'queued' || state === 'running') await this.cancel(id);
    await sql.setSequenceDeleted(this.tools.db, id, true);
    this.tools.events.send({ type: 'sequence-gone', id });
  }

  async restore(id: string): Promise<Sequence | null> {
    return (await sql.setSequenceDeleted(this.tools.db, id, false)) ? this.announce(id) : null;
  }

  present(row: sql.SequenceRow, live = this.tools.runner.live(row.id)): Sequence {
    const { jobId: _job, compiledHash: _hash, setup, finished, ...rest } = row;
    const { first, last } = row.request;
    const letters = new Array<string>(last - first + 1).fill('.');
    for (const f of finished) letters[f.frame - first] = f.faulty ? '!' : '+';
    const { progress, formed } = live ?? { progress: 0, formed: 0 };
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

  async begin(id: string): Promise<sql.SequenceRow | null> {
    const started = await sql.startSequence(this.tools.db, id);
    const row = started ? await sql.findSequence(this.tools.db, id) : undefined;
    return row?.state === 'running' ? row : null;
  }

  /** The first frame that is missing. */
  part({ request, finished }: sql.SequenceRow): number | null {
    const there = new Set(finished.map((f) => f.frame));
    for (let n = request.first; n <= request.last; n++) if (!there.has(n)) return n;
    return null;
  }

  async take(row: sql.SequenceRow, frame: number, made: Made): Promise<void> {
    if (made.type !== 'done') return;
    const files: sql.FrameFile[] = [];
    for (const { kind, path } of made.files) files.push({ kind, ...(await this.tools.files.adopt(path)) });
    const { mean, faults } = made.check;
    const { seconds } = made.report;
    await sql.saveFrame(this.tools.db, row.id, { frame, seconds, beautyHash: made.beautyHash, mean, faults, files });
  }

  async finish({ id }: sql.SequenceRow): Promise<void> {
    await sql.moveSequence(this.tools.db, id, ['running'], 'done');
    await this.tools.files.dropOne(historyName(id));
  }

  async fail(id: string, message: string): Promise<void> {
    const row = await this.find(id);
    await sql.moveSequence(this.tools.db, id, ['running'], 'failed', `Frame ${this.part(row)}: ${message}`);
  }

  tooMuch(): string {
    return 'the renderer ended four times. Lower the size or the shadow resolution.';
  }

  next(id: string): Promise<void> {
    return this.giveTurn(id);
  }

  tell(row: sql.SequenceRow, live: Live): void {
    const now = performance.now();
    if (live.progress > 0 && now - this.toldAt < TELL_MS) return;
    this.toldAt = now;
    this.tools.events.send({ type: 'sequence', sequence: this.present(row, live) });
  }

  private async halt(id: string, state: 'paused' | 'cancelled'): Promise<Sequence> {
    const from: Sequence['state'][] = state === 'paused' ? ['queued', 'running'] : ['queued', 'running', 'paused'];
    if (!(await sql.moveSequence(this.tools.db, id, from, state))) {
      const row = await this.find(id);
      throw new BadInputError(`This sequence is ${row.state} already.`);
    }
    if (!this.tools.runner.halt(id, state === 'paused')) await this.giveTurn(null);
    return this.announce(id);
  }

  /**
   * Gives a job to the oldest open sequence, unless it has one.
   * @param ending whose job is about to end, and so does not count
   */
  private async giveTurn(ending: string | null): Promise<void> {
    const [oldest] = await sql.openSequences(this.tools.db);
    if (!oldest) return;
    const waits = oldest.jobId !== null && oldest.id !== ending && (await this.tools.queue.isOpen(oldest.jobId));
    if (!waits) await sql.setSequenceJob(this.tools.db, oldest.id, await this.tools.queue.add('sequence', oldest.id));
  }

  async order(row: sql.SequenceRow, frame: number): Promise<FrameOrder> {
    const { files } = this.tools;
    const { request, setup } = row;
    const { optics, take, path } = setup;
    const forms = STILL_FILES.filter((f) => f === 'png8' || request.forms.includes(f));
    return {
      type: 'frame',
      orderId: row.id,
      scenePath: files.path(row.compiledHash),
      sceneKey: row.compiledHash,
      bakedDir: files.baked,
      recipe: resolveRecipe(row.recipe, request.tier),
      rig: row.rig,
      picturePath: picturePath(files, row.rig),
      recipeHash: row.recipeHash,
      tier: request.tier,
      shot: { name: row.shotName, optics, take, path, rate: setup.rate },
      first: request.first,
      frame,
      rate: setup.rate,
      timeSeconds: frame / setup.rate,
      seed: setup.seed,
      forms,
      outDir: files.temporary,
      checkpointPath: files.unfinished(row.id),
      historyPath: files.unfinished(historyName(row.id)),
    };
  }

  private async find(id: string): Promise<sql.SequenceRow> {
    const row = await sql.findSequence(this.tools.db, id);
    if (!row) throw new BadInputError('There is no such sequence.');
    return row;
  }

  async announce(id: string): Promise<Sequence> {
    const sequence = this.present(await this.find(id));
    this.tools.events.send({ type: 'sequence', sequence });
    return sequence;
  }
}

function historyName(id: string): string {
  return `${id}-history`;
}

/**
 * Wedges from request to figures. Each step is a job of its own, so that stills come in between, a failed step is tried
 * again, and a server that was killed goes on with the first step that is missing.
 */
import { randomUUID } from 'node:crypto';
import type { Shot, Wedge, WedgeRequest } from '@daxel/api/schemas';
import { BadInputError } from '@daxel/core/errors';
import { pixelRect, type Rect } from '@daxel/core/measure/rect';
import { framesOfSteps, nextStep, sensitivitySteps, wedgeSteps, type WedgeStep } from '@daxel/core/plan/wedge';
import { timeNoise } from '@daxel/core/plan/knee';
import { rigLighting } from '@daxel/core/light/rig';
import { sceneFacts, type SceneFacts } from '@daxel/core/plan/sceneFacts';
import { resolveRecipe, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { Database } from '../db/database';
import type { EventStream } from '../http/eventStream';
import { openCompiled, soundCompiled } from '../import/scenes';
import type { StepOrder, StepTiming } from '../render/renderProcess';
import { findStill } from '../sql/stills';
import * as sql from '../sql/wedges';
import type { FileStore } from '../store/fileStore';
import type { Queue } from './queue';
import { RenderProcessGone } from './renderService';
import { picturePath, rigOf, type StillJobs } from './stillJobs';

/** What the recipe as it is took in a sensitivity run: the last time, null when too many notches were held against it. */
interface Lately {
  seconds: number | null;
  notches: number;
  /** All of them, to tell how much equal renders vary. */
  taken: number[];
}
/** Notches that may be held against one time of the recipe as it is. */
const NOTCHES_LATELY = 3;

type OwnStep = { values: WedgeStep['values']; label: string };

export class WedgeJobs {
  private readonly progress = new Map<string, number>();
  private readonly lately = new Map<string, Lately>();

  constructor(
    private readonly db: Database,
    private readonly files: FileStore,
    private readonly queue: Queue,
    private readonly events: EventStream,
    private readonly stills: StillJobs,
  ) {}

  /** Takes up what an earlier server left open. */
  async start(): Promise<void> {
    for (const w of await sql.openWedges(this.db)) {
      const open = w.jobId !== null && (await this.queue.isOpen(w.jobId));
      if (!open) await this.next(w.id);
    }
  }

  /** @throws BadInputError when steps or reference cannot be had */
  async request(shot: Shot & { compiledHash: string }, request: WedgeRequest): Promise<Wedge> {
    const resolved = resolveRecipe(shot.recipe, request.tier);
    const planned: OwnStep[] =
      request.kind === 'sensitivity'
        ? [{ values: {}, label: 'as it is' }, ...sensitivitySteps(resolved, await this.factsOf(shot))]
        : wedgeSteps(request.axes, request.pairs);
    if (request.patchesOnly && shot.patches.length === 0)
      throw new BadInputError('This shot has no patches. Draw one on Tune, or render the whole picture.');
    if (request.reference.kind === 'still') await this.checkStill(request.reference.stillId, shot.id, resolved);
    const id = randomUUID();
    const steps = planned.map((s) => ({
      ...s,
      seconds: null,
      besideSeconds: null,
      time: null,
      stages: null,
      samples: null,
      figures: null,
      stepping: null,
      flicker: null,
      picture: false,
    }));
    await sql.insertWedge(this.db, {
      id,
      shotId: shot.id,
      request,
      recipe: shot.recipe,
      rig: rigOf(shot),
      patches: shot.patches,
      camera: await this.stills.cameraOf(shot),
      frame: shot.frame,
      steps,
    });
    await this.next(id);
    return this.announce(id);
  }

  /** What the shot's scene has in the light it is shown in. */
  private async factsOf(shot: Shot & { compiledHash: string }): Promise<SceneFacts> {
    const scene = await openCompiled(this.db, this.files, shot.compiledHash);
    const rig = rigOf(shot);
    return sceneFacts(scene, rig ? rigLighting(rig, scene.meta).lighting : scene.meta);
  }

  async cancel(id: string): Promise<Wedge> {
    const w = await this.find(id);
    if (w.state !== 'queued' && w.state !== 'running')
      throw new BadInputError(`This wedge is ${w.state} already; there is nothing to cancel.`);
    this.lately.delete(id);
    await sql.endWedge(this.db, id, 'cancelled');
    this.stills.renderer.cancel(id);
    if (w.jobId && !this.progress.has(id)) await this.queue.cancel(w.jobId);
    return this.announce(id);
  }

  /** Renders what is missing of a wedge that was cancelled or failed. */
  async resume(id: string): Promise<Wedge> {
    this.lately.delete(id);
    await sql.reopenWedge(this.db, id);
    await this.next(id);
    return this.announce(id);
  }

  async remove(id: string): Promise<void> {
    const w = await this.find(id);
    if (w.state === 'queued' || w.state === 'running') await this.cancel(id);
    await sql.deleteWedge(this.db, id);
    this.events.send({ type: 'wedge-gone', id });
  }

  present(row: sql.WedgeRow): Wedge {
    const { id, shotId, state, request, recipe, patches, message, createdAt, finishedAt, reference } = row;
    return {
      id,
      shotId,
      state,
      request,
      recipe,
      patches,
      message,
      createdAt,
      finishedAt,
      reference: reference && { label: reference.label, seconds: reference.seconds, noise: reference.noise },
      steps: row.steps.map(({ hash: _hash, ...step }) => step),
      progress: this.progress.get(id) ?? 0,
    };
  }

  /** Works on the next missing part of a wedge whose turn it is. */
  async run(id: string, attemptsLeft: number): Promise<void> {
    if (!(await sql.startWedge(this.db, id))) return;
    const row = await this.find(id);
    this.progress.set(id, 0);
    await this.announce(id);
    try {
      if (await this.oneStep(row)) await this.next(id);
      else {
        this.lately.delete(id);
        await sql.endWedge(this.db, id, 'done');
      }
    } catch (error) {
      if (this.stills.stopping) throw error;
      if (error instanceof RenderProcessGone && attemptsLeft > 0) throw error;
      const gone = error instanceof RenderProcessGone;
      const message = gone
        ? 'The renderer ended four times on one step. Give smaller values.'
        : (error as Error).message;
      await sql.endWedge(this.db, id, 'failed', message);
    } finally {
      this.progress.delete(id);
      if (!this.stills.stopping) await this.announce(id).catch(() => undefined);
    }
  }

  /** @returns false when nothing is left to do */
  private async oneStep(row: sql.WedgeRow): Promise<boolean> {
    const { steps } = row;
    const { flicker, kind, pairs } = row.request;
    const own = row.reference === null;
    const index = nextStep(steps, kind, row.request.reference, !own);
    if (own && index < 0) {
      const reference = await this.makeReference(row);
      if (reference) await sql.saveReference(this.db, row.id, reference);
      return reference !== null;
    }
    if (index < 0) return false;
    const recipe = resolved(row, steps[index].values);
    const notch = kind === 'sensitivity' && !own;
    const moving = kind === 'wedge' && framesOfSteps(steps, pairs, flicker)[index] > 1;
    const lately = this.lately.get(row.id) ?? { seconds: null, notches: 0, taken: [] };
    const timing: StepTiming = notch
      ? { kind: 'beside', recipe: resolved(row, {}), lately: lately.seconds, varies: variesOf(row, lately) }
      : { kind: 'repeated' };
    const end = await this.render(row, recipe, row.reference?.exr ?? null, timing, moving);
    if (!end) return true;
    const { times } = end;
    this.lately.set(row.id, heldAgainst(lately, times.besideLast));
    const png = await this.files.adopt(end.png);
    const step: sql.StepRow = {
      ...steps[index],
      seconds: notch ? times.workSeconds : times.seconds,
      besideSeconds: times.besideSeconds,
      time: times.verdict,
      stages: end.report.stages,
      samples: end.report.samples,
      figures: end.figures,
      stepping: end.stepping,
      flicker: end.flicker,
      picture: true,
      hash: png.hash,
    };
    const reference = end.exr
      ? {
          label: step.label,
          seconds: times.seconds,
          noise: end.report.noise ?? null,
          exr: (await this.files.adopt(end.exr)).hash,
          png: png.hash,
        }
      : null;
    await sql.saveStep(this.db, row.id, index, step, reference);
    return steps.some((s, k) => k !== index && s.seconds === null);
  }

  private async makeReference(row: sql.WedgeRow): Promise<sql.ReferenceRow | null> {
    const { reference } = row.request;
    if (reference.kind === 'still') {
      const still = await findStill(this.db, reference.stillId);
      const hash = (kind: string): string | undefined => still?.files.find((f) => f.kind === kind)?.hash;
      const [exr, png] = [hash('exr-float'), hash('png8')];
      if (!still || !exr || !png) throw new BadInputError('The still that was to be the reference is gone.');
      return { label: `still, ${still.recipe.name} ${still.tier}`, seconds: still.seconds, noise: null, exr, png };
    }
    if (reference.kind !== 'path') return null;
    const values = { 'samples.method': 'path', 'samples.pixel': reference.samples, 'samples.denoise': 'off' };
    const end = await this.render(row, resolved(row, values), null, { kind: 'once' });
    if (!end) return null;
    const { seconds, noise } = end.report;
    const [exr, png] = [await this.files.adopt(end.exr!), await this.files.adopt(end.png)];
    const label = `path traced, ${reference.samples} samples`;
    return { label, seconds, noise: noise ?? null, exr: exr.hash, png: png.hash };
  }

  /** @returns null when it was cancelled */
  private async render(
    row: sql.WedgeRow,
    recipe: ResolvedRecipe,
    referenceHash: string | null,
    timing: StepTiming,
    flicker = false,
  ) {
    const { regions, rects } = parts(row, recipe);
    const compiledHash = await soundCompiled(this.db, this.files, row.compiledHash);
    const order: StepOrder = {
      type: 'step',
      orderId: row.id,
      scenePath: this.files.path(compiledHash),
      sceneKey: compiledHash,
      recipe,
      rig: row.rig,
      picturePath: picturePath(this.files, row.rig),
      camera: row.camera,
      timeSeconds: row.frame / row.rate,
      frame: row.frame,
      rate: row.rate,
      seed: row.seed,
      outDir: this.files.temporary,
      regions,
      rects,
      referencePath: referenceHash && this.files.path(referenceHash),
      isReference: row.reference === null,
      flicker,
      timing,
    };
    const end = await this.stills.renderer.render(order, (m) => {
      if (m.type !== 'progress') return;
      this.progress.set(row.id, m.progress);
      this.events.send({ type: 'wedge', wedge: this.present(row) });
    });
    if (end.type === 'failed') throw new BadInputError(end.message);
    return end.type === 'step' ? end : null;
  }

  private async checkStill(stillId: string, shotId: string, recipe: ResolvedRecipe): Promise<void> {
    const still = await findStill(this.db, stillId);
    if (!still || still.shotId !== shotId || still.state !== 'done')
      throw new BadInputError('Choose a finished still of this shot as the reference.');
    const [width, height] = [recipe['output.width'], recipe['output.height']];
    if (still.width !== width || still.height !== height)
      throw new BadInputError(
        `The still is ${still.width}×${still.height} and this tier renders ${String(width)}×${String(height)}: choose another reference.`,
      );
  }

  private async next(id: string): Promise<void> {
    await sql.setWedgeJob(this.db, id, await this.queue.add('wedge', id));
  }

  private async find(id: string): Promise<sql.WedgeRow> {
    const row = await sql.findWedge(this.db, id);
    if (!row) throw new BadInputError('There is no such wedge.');
    return row;
  }

  private async announce(id: string): Promise<Wedge> {
    const wedge = this.present(await this.find(id));
    this.events.send({ type: 'wedge', wedge });
    return wedge;
  }
}

/** After one more notch. @param last what the recipe as it is took, where it was rendered for that */
function heldAgainst({ seconds, notches, taken }: Lately, last: number | null): Lately {
  if (last !== null) return { seconds: last, notches: 0, taken: [...taken, last] };
  return { seconds: notches + 1 < NOTCHES_LATELY ? seconds : null, notches: notches + 1, taken };
}

/** Share by which equal renders differ; of a quick run alone: the slow one looks closer. */
function variesOf(row: sql.WedgeRow, { taken }: Lately): number {
  return row.request.patchesOnly ? timeNoise(taken) : 0;
}

function resolved(row: sql.WedgeRow, values: Record<string, string | number | boolean>): ResolvedRecipe {
  // light is compared, not what the lens makes of it
  return { ...resolveRecipe(row.recipe, row.request.tier), 'lens.bloom': 0, 'lens.vignette': 0, ...values };
}

/** What is rendered and what is measured, in pixels. */
function parts({ request, patches }: sql.WedgeRow, recipe: ResolvedRecipe): { regions: Rect[] | null; rects: Rect[] } {
  const width = recipe['output.width'] as number;
  const height = recipe['output.height'] as number;
  const rects = patches.map((p) => pixelRect(p, width, height));
  if (request.patchesOnly) return { regions: rects, rects };
  return { regions: null, rects: [{ x: 0, y: 0, width, height }, ...rects] };
}

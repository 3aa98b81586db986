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
import { openCompiled } from '../import/scenes';
import type { StepOrder, StepTiming } from '../render/renderProcess';
import { findStill } from '../sql/stills';
import * as sql from '../sql/wedges';
import type { JobKind, JobTools, Live, Made } from './jobKind';
import { picturePath, rigOf, shotCameraOf } from './stillJobs';

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

/** A step by its number, or what all are measured against where that is no step. */
type Part = number | 'reference';

export class WedgeJobs implements JobKind<sql.WedgeRow, Part> {
  readonly name = 'wedge';
  private readonly lately = new Map<string, Lately>();

  constructor(private readonly tools: JobTools) {}

  async unfinished(): Promise<string[]> {
    return [];
  }

  async start(): Promise<void> {
    for (const w of await sql.openWedges(this.tools.db)) {
      const open = w.jobId !== null && (await this.tools.queue.isOpen(w.jobId));
      if (!open) await this.next(w.id, true);
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
    await sql.insertWedge(this.tools.db, {
      id,
      shotId: shot.id,
      request,
      recipe: shot.recipe,
      rig: rigOf(shot),
      patches: shot.patches,
      camera: await shotCameraOf(this.tools, shot),
      frame: shot.frame,
      steps,
    });
    await this.next(id, true);
    return this.announce(id);
  }

  /** What the shot's scene has in the light it is shown in. */
  private async factsOf(shot: Shot & { compiledHash: string }): Promise<SceneFacts> {
    const scene = await openCompiled(this.tools.db, this.tools.files, shot.compiledHash);
    const rig = rigOf(shot);
    return sceneFacts(scene, rig ? rigLighting(rig, scene.meta).lighting : scene.meta);
  }

  async cancel(id: string): Promise<Wedge> {
    const w = await this.find(id);
    if (w.state !== 'queued' && w.state !== 'running')
      throw new BadInputError(`This wedge is ${w.state} already; there is nothing to cancel.`);
    this.lately.delete(id);
    await sql.endWedge(this.tools.db, id, 'cancelled');
    if (!this.tools.runner.halt(id) && w.jobId) await this.tools.queue.cancel(w.jobId);
    return this.announce(id);
  }

  /** Renders what is missing of a wedge that was cancelled or failed. */
  async resume(id: string): Promise<Wedge> {
    this.lately.delete(id);
    await sql.reopenWedge(this.tools.db, id);
    await this.next(id, true);
    return this.announce(id);
  }

  async remove(id: string): Promise<void> {
    const w = await this.find(id);
    if (w.state === 'queued' || w.state === 'running') await this.cancel(id);
    await sql.deleteWedge(this.tools.db, id);
    this.tools.events.send({ type: 'wedge-gone', id });
  }

  present(row: sql.WedgeRow, live = this.tools.runner.live(row.id)): Wedge {
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
      progress: live?.progress ?? 0,
    };
  }

  async begin(id: string): Promise<sql.WedgeRow | null> {
    const started = await sql.startWedge(this.tools.db, id);
    const row = started ? await sql.findWedge(this.tools.db, id) : undefined;
    return row?.state === 'running' ? row : null;
  }

  part({ steps, request, reference }: sql.WedgeRow): Part | null {
    const index = nextStep(steps, request.kind, request.reference, reference !== null);
    if (index >= 0) return index;
    const { kind } = request.reference;
    return reference === null && (kind === 'still' || kind === 'path') ? 'reference' : null;
  }

  async order(row: sql.WedgeRow, part: Part): Promise<StepOrder | null> {
    if (part !== 'reference') return this.stepOrder(row, part);
    const { reference } = row.request;
    if (reference.kind === 'path') {
      const values = { 'samples.method': 'path', 'samples.pixel': reference.samples, 'samples.denoise': 'off' };
      return this.orderOf(row, resolved(row, values), { kind: 'once' });
    }
    if (reference.kind !== 'still') return null;
    const still = await findStill(this.tools.db, reference.stillId);
    const hash = (kind: string): string | undefined => still?.files.find((f) => f.kind === kind)?.hash;
    const [exr, png] = [hash('exr-float'), hash('png8')];
    if (!still || !exr || !png) throw new BadInputError('The still that was to be the reference is gone.');
    const label = `still, ${still.recipe.name} ${still.tier}`;
    await sql.saveReference(this.tools.db, row.id, { label, seconds: still.seconds, noise: null, exr, png });
    return null;
  }

  async take(row: sql.WedgeRow, part: Part, made: Made): Promise<void> {
    if (made.type !== 'step') return;
    const { db, files } = this.tools;
    const png = await files.adopt(made.png);
    const exr = made.exr && (await files.adopt(made.exr));
    const noise = made.report.noise ?? null;
    const { times } = made;
    if (part === 'reference') {
      const { reference } = row.request;
      const label = `path traced, ${reference.kind === 'path' ? reference.samples : 0} samples`;
      const { seconds } = made.report;
      if (exr) await sql.saveReference(db, row.id, { label, seconds, noise, exr: exr.hash, png: png.hash });
      return;
    }
    const notch = isNotch(row);
    this.lately.set(row.id, heldAgainst(this.latelyOf(row), times.besideLast));
    const step: sql.StepRow = {
      ...row.steps[part],
      seconds: notch ? times.workSeconds : times.seconds,
      besideSeconds: times.besideSeconds,
      time: times.verdict,
      stages: made.report.stages,
      samples: made.report.samples,
      figures: made.figures,
      stepping: made.stepping,
      flicker: made.flicker,
      picture: true,
      hash: png.hash,
    };
    const reference = exr ? { label: step.label, seconds: times.seconds, noise, exr: exr.hash, png: png.hash } : null;
    await sql.saveStep(db, row.id, part, step, reference);
  }

  async finish({ id }: sql.WedgeRow): Promise<void> {
    this.lately.delete(id);
    await sql.endWedge(this.tools.db, id, 'done');
  }

  fail(id: string, message: string): Promise<void> {
    return sql.endWedge(this.tools.db, id, 'failed', message);
  }

  tooMuch(): string {
    return 'The renderer ended four times on one step. Give smaller values.';
  }

  async next(id: string, left: boolean): Promise<void> {
    if (left) await sql.setWedgeJob(this.tools.db, id, await this.tools.queue.add('wedge', id));
  }

  tell(row: sql.WedgeRow, live: Live): void {
    this.tools.events.send({ type: 'wedge', wedge: this.present(row, live) });
  }

  private latelyOf({ id }: sql.WedgeRow): Lately {
    return this.lately.get(id) ?? { seconds: null, notches: 0, taken: [] };
  }

  private stepOrder(row: sql.WedgeRow, index: number): StepOrder {
    const { steps } = row;
    const { flicker, kind, pairs } = row.request;
    const moving = kind === 'wedge' && framesOfSteps(steps, pairs, flicker)[index] > 1;
    const lately = this.latelyOf(row);
    const timing: StepTiming = isNotch(row)
      ? { kind: 'beside', recipe: resolved(row, {}), lately: lately.seconds, varies: variesOf(row, lately) }
      : { kind: 'repeated' };
    return this.orderOf(row, resolved(row, steps[index].values), timing, moving);
  }

  private orderOf(row: sql.WedgeRow, recipe: ResolvedRecipe, timing: StepTiming, flicker = false): StepOrder {
    const { regions, rects } = parts(row, recipe);
    const { files } = this.tools;
    return {
      type: 'step',
      orderId: row.id,
      scenePath: files.path(row.compiledHash),
      sceneKey: row.compiledHash,
      bakedDir: files.baked,
      recipe,
      rig: row.rig,
      picturePath: picturePath(files, row.rig),
      camera: row.camera,
      timeSeconds: row.frame / row.rate,
      frame: row.frame,
      rate: row.rate,
      seed: row.seed,
      outDir: files.temporary,
      regions,
      rects,
      referencePath: row.reference && files.path(row.reference.exr),
      isReference: row.reference === null,
      flicker,
      timing,
    };
  }

  private async checkStill(stillId: string, shotId: string, recipe: ResolvedRecipe): Promise<void> {
    const still = await findStill(this.tools.db, stillId);
    if (!still || still.shotId !== shotId || still.state !== 'done')
      throw new BadInputError('Choose a finished still of this shot as the reference.');
    const [width, height] = [recipe['output.width'], recipe['output.height']];
    if (still.width !== width || still.height !== height)
      throw new BadInputError(
        `The still is ${still.width}×${still.height} and this tier renders ${String(width)}×${String(height)}: choose another reference.`,
      );
  }

  private async find(id: string): Promise<sql.WedgeRow> {
    const row = await sql.findWedge(this.tools.db, id);
    if (!row) throw new BadInputError('There is no such wedge.');
    return row;
  }

  async announce(id: string): Promise<Wedge> {
    const wedge = this.present(await this.find(id));
    this.tools.events.send({ type: 'wedge', wedge });
    return wedge;
  }
}

/** Is it one setting changed, held against the recipe as it is? */
function isNotch({ request, reference }: sql.WedgeRow): boolean {
  return request.kind === 'sensitivity' && reference !== null;
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

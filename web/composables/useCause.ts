/**
 * Finds what makes a place of a run flicker, and proves what calms it: a few frames about its worst one are rendered there
 * again, first as they were, then with one setting raised at a time.
 */
import { onUnmounted, ref, shallowRef } from 'vue';
import { FrameRun } from '@daxel/core/frame/run';
import { SUMS } from '@daxel/core/light/components';
import type { RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import type { Rect } from '@daxel/core/measure/rect';
import { FRAMES_ASIDE, placeAround, type PlaceFlicker } from '@daxel/core/measure/stability/place';
import type { WorstPlace } from '@daxel/core/measure/stability/meter';
import {
  bestFlickerCure,
  flickerCures,
  UNSEEN,
  verdictOfCure,
  type Elsewhere,
  type TriedFlickerCure,
} from '@daxel/core/plan/flickerCures';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import type { ResolvedRecipe, TierValues } from '@daxel/core/recipe/recipe';
import type { Run } from '../stores/runs';
import type { FromStability, PartFrame } from '../render/stabilityWorker';
import { createWorker, startOf, timesOf, type RunOrder, type StabilityPort } from './useRun';
import { renderPool } from './useShot';

/** Other places at which the best cure is proved, and pixels between them and the first. */
const ELSEWHERE = 2;
const APART = 64;
/** Cures that are held against other places before none is recommended. */
const MOST_PROVED = 3;
/** Milliseconds after which nothing more is tried: an answer that is waited for longer is not waited for. */
const MOST_MS = 100_000;

export interface Cause {
  frame: number;
  rect: Rect;
  before: { index: number; seconds: number; passing: number; blame: PlaceFlicker['blame'] };
  tried: TriedFlickerCure[];
  /** Index of the one to take, −1 when none helps. */
  best: number;
  /** Changes that were left out for want of time. */
  untried: number;
}

export function useCause(createPort: () => StabilityPort = createWorker) {
  const found = shallowRef<Cause | null>(null);
  /** `elsewhere` names the cure that is held against other places. */
  const running = ref<{ done: number; all: number; elsewhere?: string } | null>(null);
  const failure = ref<string | null>(null);
  let ticket: RenderTicket | null = null;
  let cancelled = false;

  async function search(run: Run, frame: number, rect: Rect): Promise<void> {
    if (running.value) return;
    const { order } = run;
    if (!order) return;
    cancelled = false;
    failure.value = null;
    found.value = null;
    running.value = { done: 0, all: 1 };
    try {
      const before = await measure(createPort, order, frame, rect, {});
      if (!before) return;
      if (before.index === null) {
        failure.value = 'Nothing at this place can be followed from frame to frame: choose another one.';
        return;
      }
      const { recipe, lighting } = order.wish;
      const { index, seconds, passing, blame } = before;
      const start = { index, seconds, passing, blame };
      const tried: TriedFlickerCure[] = [];
      const show = (untried: number): void => {
        found.value = { frame, rect, before: start, tried: [...tried], best: bestFlickerCure(start, tried), untried };
      };
      show(0);
      // what passes is no flicker, and nothing cures it
      if (index < UNSEEN) return;
      const cures = flickerCures(recipe, blame, sceneFacts(order.scene, lighting));
      const began = performance.now();
      const late = (): boolean => performance.now() - began > MOST_MS;
      for (const [k, cure] of cures.entries()) {
        if (late()) {
          show(cures.length - k);
          break;
        }
        running.value = { done: k + 1, all: cures.length + 1 };
        const after = await measure(createPort, order, frame, rect, cure.values, false);
        if (!after) return;
        if (after.index === null) continue;
        // only what is of use is worth knowing the price of
        const useful = verdictOfCure(start, { index: after.index, seconds: 0 }) !== 'no use';
        const priced = useful ? await priceOf(order, frame, cure.values) : start.seconds;
        if (priced === null) return;
        tried.push({ ...cure, index: after.index, seconds: priced, timed: useful });
        show(0);
      }
      if (!late()) await proveElsewhere(run, order, found.value);
    } catch (error) {
      failure.value = (error as Error).message;
    } finally {
      running.value = null;
      ticket = null;
    }
  }

  /** Holds the best cure against the next worst places; one that makes any of them worse gives way to the next best. */
  async function proveElsewhere(run: Run, order: RunOrder, from: Cause | null): Promise<void> {
    const places = otherPlaces(run.report?.worst ?? [], from);
    const before = new Map<WorstPlace, number | null>();
    for (let round = 0; from && round < MOST_PROVED && places.length > 0; round++) {
      const { best, tried } = from;
      if (best < 0 || tried[best].elsewhere) return;
      const elsewhere: Elsewhere[] = [];
      for (const place of places) {
        running.value = { done: elsewhere.length, all: places.length, elsewhere: tried[best].label };
        const at = async (values: TierValues): Promise<number | null | undefined> => {
          const measured = await measure(createPort, order, place.frame, place, values, false);
          return measured === null ? undefined : measured.index;
        };
        if (!before.has(place)) {
          const asItIs = await at({});
          if (asItIs === undefined) return;
          before.set(place, asItIs);
        }
        const after = await at(tried[best].values);
        if (after === undefined) return;
        const asItIs = before.get(place) ?? null;
        if (asItIs !== null && after !== null) elsewhere.push({ before: asItIs, after });
      }
      const proved = tried.map((t, i) => (i === best ? { ...t, elsewhere } : t));
      from = { ...from, tried: proved, best: bestFlickerCure(from.before, proved) };
      found.value = from;
    }
  }

  /** Seconds of a whole frame with a change; null when cancelled. */
  async function priceOf(order: RunOrder, number: number, values: TierValues): Promise<number | null> {
    const recipe: ResolvedRecipe = { ...order.wish.recipe, 'lens.bloom': 0, ...values };
    const timeSeconds = number / order.rate;
    const camera = order.cameraAt(timeSeconds);
    const run = new FrameRun(renderPool(), order.scene, order.rate);
    ticket = run.frame(number, { ...order.wish, recipe, camera, timeSeconds, view: 'picture', fresh: true });
    const frame = await ticket.promise;
    return frame.finished && !cancelled ? frame.seconds : null;
  }

  /** @param timed render the frame in the middle whole, to know what it costs @returns null when cancelled */
  async function measure(
    port: () => StabilityPort,
    { ...order }: RunOrder,
    middle: number,
    rect: Rect,
    values: TierValues,
    timed = true,
  ): Promise<(PlaceFlicker & { seconds: number }) | null> {
    // glow comes from parts of the picture that are not rendered
    const recipe: ResolvedRecipe = { ...order.wish.recipe, 'lens.bloom': 0, ...values };
    order.wish = { ...order.wish, recipe };
    const first = Math.max(order.first, middle - FRAMES_ASIDE);
    const last = Math.min(order.last, middle + FRAMES_ASIDE);
    const part = placeAround(rect, recipe['output.width'] as number, recipe['output.height'] as number);
    const frames: PartFrame[] = [];
    const run = new FrameRun(renderPool(), order.scene, order.rate);
    let seconds = 0;
    for (let number = first; number <= last; number++) {
      const timeSeconds = number / order.rate;
      const whole = timed && number === middle;
      ticket = run.frame(number, {
        ...order.wish,
        camera: order.cameraAt(timeSeconds),
        timeSeconds,
        view: 'picture',
        regions: whole ? undefined : [part],
        fresh: whole,
      });
      const frame = await ticket.promise;
      if (!frame.finished || cancelled) return null;
      if (whole) seconds = frame.seconds;
      frames.push(partOf(order, number, frame, part));
    }
    const place = await ask(port(), order, { type: 'place', frames, rect });
    return { ...place, seconds };
  }
  function cancel(): void {
    cancelled = true;
    ticket?.cancel();
  }
  function forget(): void {
    cancel();
    found.value = null;
    failure.value = null;
  }
  onUnmounted(cancel);
  return { found, running, failure, search, cancel, forget };
}

/** The worst places that are not this one. */
function otherPlaces(worst: readonly WorstPlace[], from: Cause | null): WorstPlace[] {
  if (!from) return [];
  const apart = (a: Rect, b: Rect): boolean =>
    Math.abs(a.x + a.width / 2 - b.x - b.width / 2) > APART ||
    Math.abs(a.y + a.height / 2 - b.y - b.height / 2) > APART;
  const chosen: WorstPlace[] = [];
  for (const w of worst)
    if (chosen.length < ELSEWHERE && [from.rect, ...chosen].every((c) => apart(c, w))) chosen.push(w);
  return chosen;
}

/** Cut down to a part at once: whole frames with all their layers would fill the memory. */
function partOf(order: RunOrder, number: number, frame: RenderedFrame, part: Rect): PartFrame {
  const { width, views, samples } = frame;
  const cut = <T extends Float32Array | Uint32Array>(from: T, size: number): T => {
    const out = from.slice(0, from.length > 0 ? part.width * part.height * size : 0) as T;
    for (let y = 0; out.length > 0 && y < part.height; y++) {
      const at = ((part.y + y) * width + part.x) * size;
      out.set(from.subarray(at, at + part.width * size), y * part.width * size);
    }
    return out;
  };
  const { beauty, depth, objectId, overlaid, sums } = views;
  const whole = overlaid.length === depth.length;
  return {
    ...timesOf(order, number, frame),
    part,
    samples,
    beauty: cut(beauty, 3),
    depth: cut(depth, 1),
    objectId: cut(objectId, 1),
    // of a frame computed at another size they do not lie under the picture
    overlaid: whole ? cut(overlaid, 1) : new Uint32Array(0),
    sums: cut(sums, SUMS),
  };
}

function ask(
  port: StabilityPort,
  order: RunOrder,
  question: Parameters<StabilityPort['post']>[0],
): Promise<PlaceFlicker> {
  return new Promise<PlaceFlicker>((resolve, reject) => {
    port.listen((m: FromStability) => {
      if (m.type === 'failed') reject(new Error(m.message));
      else if (m.type === 'place') resolve(m.place);
    });
    port.post(startOf(order));
    port.post(question);
  }).finally(() => port.terminate());
}

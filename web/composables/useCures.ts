/** Finds what cures a bad shadow edge: every candidate is rendered and measured on the patch. */
import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { shadowBands } from '@daxel/core/measure/banding';
import { shadowContours } from '@daxel/core/measure/contours';
import { highlightDots } from '@daxel/core/measure/highlightDots';
import { inPixels, type Rect } from '@daxel/core/measure/rect';
import { shadowFaults } from '@daxel/core/measure/shadowFaults';
import { stairSteps } from '@daxel/core/measure/stairs';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import { bestCure, drawsHard, shadowCures, type ShadowFigures, type TriedCure } from '@daxel/core/plan/shadowCures';
import { timeIsKnown } from '@daxel/core/plan/timing';
import { totalSamples, type ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import type { RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import { painted } from './painted';
import { edgeSource, type EdgeSource, type Wish } from './usePreview';
import { renderPool } from './useShot';

export interface Edges {
  stairs: number;
  /** Contrast of false layers: of even steps their height times their share, of waves as an eye sees them. */
  bands: number;
}
export interface Cures {
  patch: string;
  before: ShadowFigures & { seconds: number };
  /** Seconds of the recipe as it is, before and after all others were tried. */
  times: readonly [number, number];
  /** A light with an extent casts hard edges, since it is drawn from one point. */
  hard: boolean;
  tried: TriedCure[];
  /** Index of the one to take, −1 when none helps. */
  best: number;
}

/**
 * Share of a patch below which its soft shadow is no place where layers are seen: leaves, bars, threads. Even steps are
 * looked for along single lines of pixels, so they need more of it.
 */
const LEAST_SOFT = 0.02;
const MUCH_SOFT = 0.1;

/** @param seen a settled picture's light and objects */
export function measureEdges({ lit, objects, width, height }: EdgeSource, rect: Rect): Edges {
  const { step, plateaus, pixels } = shadowBands(lit, objects, width, height, rect);
  const contours = shadowContours(lit, objects, width, height, rect);
  const area = rect.width * rect.height;
  // rows and columns are both looked along
  const steps = pixels / (2 * area) < MUCH_SOFT ? 0 : step * plateaus;
  const contrast = contours.share < LEAST_SOFT ? 0 : contours.contrast;
  return { stairs: stairSteps(lit, objects, width, height, rect).pixels, bands: Math.max(steps, contrast) };
}

/** A picture of the patch, as far as it is measured. */
interface Drawn {
  source: EdgeSource;
  codes: Uint8ClampedArray | Uint8Array;
  rect: Rect;
  seconds: number;
}

/** Renders that take longer are timed once. */
const SHORT_SECONDS = 1;
/** Places on each light that highlights are told by, of all samples of a pixel together. */
const MANY_PLACES = 64;

/** The recipe with so many places on each light; null where it has them. */
function manyPlaces(recipe: ResolvedRecipe): Record<string, number> | null {
  const places = Math.ceil(MANY_PLACES / Math.max(1, totalSamples(recipe)));
  return (recipe['shadows.lightSamples'] as number) >= places ? null : { 'shadows.lightSamples': places };
}

/** @param truth with traced shadows @param many with many places on each light */
function figuresOf({ source, codes, rect }: Drawn, truth: Drawn | null, many: Drawn | null): ShadowFigures {
  const { lit, objects, width, height } = source;
  const faults = truth && shadowFaults(lit, truth.source.lit, objects, width, height, rect);
  const reference = many && { codes: many.codes, lit: many.source.lit };
  const dots = reference && highlightDots({ codes, lit }, reference, width, height, rect);
  return { ...measureEdges(source, rect), acne: faults?.acne ?? null, leak: faults?.leak ?? null, dots };
}

export function useCures(wish: Ref<Wish | null>, scene: Ref<CompiledScene | null>) {
  const found = shallowRef<Cures | null>(null);
  const running = ref<{ patch: string; done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let ticket: RenderTicket | null = null;
  let cancelled = false;

  async function search(patch: string, share: { x: number; y: number; width: number; height: number }): Promise<void> {
    const start = wish.value;
    if (!start || !scene.value || running.value) return;
    const facts = sceneFacts(scene.value, start.lighting);
    const cures = shadowCures(start.recipe, facts);
    // what acne and leaks are told by, and dots: the latter is no cure
    const traced = cures.findIndex((c) => c.values['shadows.method'] === 'traced');
    const many = facts.has('soft light') ? manyPlaces(start.recipe) : null;
    cancelled = false;
    failure.value = null;
    found.value = null;
    let done = 0;
    const all = cures.length + (many ? 2 : 1);
    running.value = { patch, done, all };
    const render = async (values: Record<string, unknown>): Promise<Drawn | null> => {
      if (cancelled) return null;
      running.value = { patch, done: ++done, all: Math.max(all, done) };
      const recipe = { ...start.recipe, ...values } as Wish['recipe'];
      const times: number[] = [];
      let frame: RenderedFrame;
      // maps that stand would be used again: each draws its own; short times are taken until they agree
      do {
        ticket = renderPool().render({ ...start, recipe, view: 'picture', fresh: true });
        frame = await ticket.promise;
        if (!frame.finished) return null;
        times.push(frame.seconds);
      } while (frame.seconds < SHORT_SECONDS && !timeIsKnown(times));
      const seconds = Math.min(...times);
      const { width, height, views } = frame;
      const codes = views.display.slice(0, width * height * 4);
      return { source: edgeSource(frame), codes, rect: inPixels(share, width, height), seconds };
    };
    try {
      const before = await render({});
      const drawn: (Drawn | null)[] = [];
      for (const cure of before ? cures : []) drawn.push(await render(cure.values));
      const reference = before && many ? await render(many) : null;
      const after = before && drawn.length > 0 ? await render({}) : before;
      if (before && after && !cancelled) {
        const truth = traced >= 0 ? drawn[traced] : before;
        // one at a time: together they would hold the page up
        const figures = async (d: Drawn) => {
          await painted();
          return { ...figuresOf(d, truth, reference), seconds: d.seconds };
        };
        const asItIs = await figures(before);
        const tried: TriedCure[] = [];
        for (const [i, cure] of cures.entries()) {
          const own = drawn[i];
          if (own) tried.push({ ...cure, ...(await figures(own)) });
        }
        if (cancelled) return;
        found.value = {
          patch,
          before: asItIs,
          times: [before.seconds, after.seconds],
          hard: drawsHard(start.recipe, facts),
          tried,
          best: bestCure(asItIs, tried),
        };
      }
    } catch (error) {
      failure.value = (error as Error).message;
    } finally {
      running.value = null;
      ticket = null;
    }
  }
  function cancel(): void {
    cancelled = true;
    ticket?.cancel();
  }
  // figures of another picture say nothing about this one
  watch(wish, () => {
    cancel();
    found.value = null;
  });
  onUnmounted(cancel);
  return { found, running, failure, search, cancel };
}

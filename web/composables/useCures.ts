/** Finds what cures a bad shadow edge: every candidate is rendered and measured on the patch. */
import { onUnmounted, ref, shallowRef, watch, type Ref } from 'vue';
import { shadowBands } from '@daxel/core/measure/banding';
import { shadowContours } from '@daxel/core/measure/contours';
import type { Rect } from '@daxel/core/measure/rect';
import { stairSteps } from '@daxel/core/measure/stairs';
import { sceneFacts } from '@daxel/core/plan/sceneFacts';
import { bestCure, drawsHard, shadowCures, type TriedCure } from '@daxel/core/plan/shadowCures';
import type { CompiledScene } from '@daxel/core/scene/compiled';
import type { RenderTicket } from '@daxel/core/frame/renderPool';
import { edgeSource, type EdgeSource, type Wish } from './usePreview';
import { renderPool } from './useShot';

export interface Edges {
  stairs: number;
  /** Contrast of false layers: of even steps their height times their share, of waves as an eye sees them. */
  bands: number;
}
export interface Cures {
  patch: string;
  before: Edges & { seconds: number };
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
    cancelled = false;
    failure.value = null;
    found.value = null;
    running.value = { patch, done: 0, all: cures.length + 1 };
    const render = async (values: Record<string, unknown>): Promise<(Edges & { seconds: number }) | null> => {
      const recipe = { ...start.recipe, ...values } as Wish['recipe'];
      ticket = renderPool().render({ ...start, recipe, view: 'picture' });
      const frame = await ticket.promise;
      if (!frame.finished) return null;
      const rect = {
        x: share.x * frame.width,
        y: share.y * frame.height,
        width: share.width * frame.width,
        height: share.height * frame.height,
      };
      return { ...measureEdges(edgeSource(frame), rect), seconds: frame.seconds };
    };
    try {
      // maps of the recipe as it is may be kept: a changed filter radius of nothing draws them anew, as all others do
      const asItIs = { 'shadows.depthFormat': start.recipe['shadows.depthFormat'] === '32' ? '24' : '32' };
      const before = await render(asItIs);
      const tried: TriedCure[] = [];
      for (const cure of before ? cures : []) {
        if (cancelled) break;
        running.value = { patch, done: tried.length + 1, all: cures.length + 1 };
        const result = await render(cure.values);
        if (result) tried.push({ ...cure, ...result });
      }
      // maps that were just drawn would be kept: one of another size lies between
      const after = before && !cancelled && tried.length > 0 ? await render(asItIs) : before;
      if (before && after && !cancelled)
        found.value = {
          patch,
          before,
          times: [before.seconds, after.seconds],
          hard: drawsHard(start.recipe, facts),
          tried,
          best: bestCure(before, tried),
        };
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

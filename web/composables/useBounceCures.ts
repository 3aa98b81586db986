/** The search for what brings bounced light to that of the reference, as Compare shows it. */
import { onUnmounted, ref, shallowRef } from 'vue';
import type { Patch } from '@daxel/api/schemas';
import { pixelRect, type Rect } from '@daxel/core/measure/rect';
import { searchBounceCures, type BounceResult } from '@daxel/core/plan/bounceSearch';
import { bounceBench } from '../render/bounceBench';
import type { Measurer } from '../render/measurer';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

type Place = Pick<Patch, 'name' | 'x' | 'y' | 'width' | 'height'>;

/** What it is asked for. */
export interface BounceAsked {
  /** The candidate that is to be cured, and what it is held against, as the address names them. */
  key: string;
  reference: string;
  /** Letter of the candidate. */
  letter: string;
  place: Place;
  /** Other patches, which are not to be made worse. */
  others: readonly Place[];
}
export interface BounceCures extends BounceResult {
  asked: BounceAsked;
}

export function useBounceCures(measurer: Measurer) {
  const found = shallowRef<BounceCures | null>(null);
  const running = ref<{ asked: BounceAsked; done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let abort = new AbortController();

  /** @param wish how the candidate is drawn */
  async function search(asked: BounceAsked, wish: Wish): Promise<void> {
    if (running.value) return;
    abort = new AbortController();
    const { signal } = abort;
    failure.value = null;
    found.value = null;
    running.value = { asked, done: 0, all: 1 };
    try {
      const { recipe } = wish;
      const size = [recipe['output.width'], recipe['output.height']] as [number, number];
      const rects = [asked.place, ...asked.others].map((p) => inside(pixelRect(p, ...size), ...size));
      const references = await Promise.all(rects.map((rect) => measurer.bounce(asked.reference, rect)));
      if (!references[0]) throw new Error('The reference does not say what its light is made of.');
      const result = await searchBounceCures(
        bounceBench(renderPool(), wish, rects),
        { recipe, references },
        {
          signal,
          at: (done, all) => (running.value = { asked, done, all }),
          found: (now) => (found.value = { asked, ...now }),
        },
      );
      if (!result) failure.value = `${asked.place.name} has no bounced light to speak of.`;
    } catch (error) {
      if ((error as Error).name !== 'AbortError') failure.value = (error as Error).message;
    } finally {
      running.value = null;
    }
  }
  const cancel = (): void => abort.abort();
  /** Figures of other pictures say nothing about these. */
  function dismiss(): void {
    cancel();
    found.value = null;
    failure.value = null;
  }
  onUnmounted(cancel);
  return { found, running, failure, search, cancel, dismiss };
}

function inside({ x, y, width, height }: Rect, across: number, down: number): Rect {
  const [x0, y0] = [Math.max(0, Math.min(across - 1, x)), Math.max(0, Math.min(down - 1, y))];
  return {
    ...{ x: x0, y: y0 },
    width: Math.max(1, Math.min(across, x + width) - x0),
    height: Math.max(1, Math.min(down, y + height) - y0),
  };
}

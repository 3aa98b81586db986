/** Takes tried side by side: each a small quick movie of the same frames. */
import { onUnmounted, ref, shallowRef } from 'vue';
import type { RenderTicket } from '@daxel/core/frame/renderPool';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import type { CameraView } from '@daxel/core/scene/camera';
import { copyPicture, type Picture } from '../render/preview';
import type { Wish } from './usePreview';
import { renderPool } from './useShot';

export interface TrialTake {
  number: number;
  pictures: Picture[];
}

export interface TakesOrder {
  /** Take numbers to try. */
  numbers: readonly number[];
  first: number;
  last: number;
  rate: number;
  /** All of a frame but its time and camera. */
  wish: Wish;
  cameraOf: (number: number) => (timeSeconds: number) => CameraView;
}

const WIDTH = 320;
/** Frames of a trial at most. */
const MOST = 48;

export function useTakes() {
  const trials = shallowRef<TrialTake[] | null>(null);
  const order = shallowRef<TakesOrder | null>(null);
  const progress = ref<{ done: number; all: number } | null>(null);
  const failure = ref<string | null>(null);
  let ticket: RenderTicket | null = null;
  /** Grows with every search: an older one stops. */
  let search = 0;

  async function start(wanted: TakesOrder): Promise<void> {
    close();
    const own = ++search;
    const { numbers, first, rate, wish } = wanted;
    const last = Math.min(wanted.last, first + MOST - 1);
    order.value = { ...wanted, last };
    const all: TrialTake[] = numbers.map((number) => ({ number, pictures: [] }));
    trials.value = all;
    progress.value = { done: 0, all: numbers.length * (last - first + 1) };
    const recipe = small(wish.recipe);
    try {
      // frame by frame over all takes, so that they can be compared from the beginning
      for (let n = first; n <= last; n++)
        for (const take of all) {
          const timeSeconds = n / rate;
          const camera = wanted.cameraOf(take.number)(timeSeconds);
          ticket = renderPool().render({ ...wish, recipe, camera, timeSeconds, view: 'picture' });
          const frame = await ticket.promise;
          if (search !== own) return;
          if (!frame.finished) continue;
          take.pictures.push(copyPicture(frame.views, frame.width, frame.height, frame.samples, false));
          trials.value = [...all];
          progress.value = { ...progress.value, done: progress.value.done + 1 };
        }
    } catch (error) {
      if (search === own) failure.value = (error as Error).message;
    } finally {
      if (search === own) progress.value = null;
    }
  }
  function close(): void {
    search++;
    ticket?.cancel();
    ticket = null;
    trials.value = order.value = progress.value = failure.value = null;
  }
  onUnmounted(close);
  return { trials, order, progress, failure, start, close };
}

/** A quick small frame: movement is what is looked at. */
function small(recipe: ResolvedRecipe): ResolvedRecipe {
  const [width, height] = [recipe['output.width'] as number, recipe['output.height'] as number];
  const k = Math.min(1, WIDTH / width);
  return {
    ...recipe,
    'output.width': Math.max(16, Math.round(width * k)),
    'output.height': Math.max(16, Math.round(height * k)),
    'samples.method': 'raster',
    'samples.pixel': 1,
    'samples.shutter': 1,
    'samples.history': 1,
    'samples.scale': 100,
  };
}

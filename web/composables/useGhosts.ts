/** Ghosts of the shown frame: it is rendered again by itself with many samples, and held against what accumulation made. */
import { computed, onUnmounted, shallowRef, type Ref } from 'vue';
import type { RenderTicket } from '@daxel/core/frame/renderPool';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { copyPicture, type Picture } from '../render/preview';
import type { FlickerMap } from '../render/stabilityWorker';
import { useNotices } from '../stores/notices';
import type { Run } from '../stores/runs';
import { createWorker, type StabilityPort } from './useRun';
import { renderPool } from './useShot';

/** Samples in all that the frame is rendered with by itself, at least, and times those of all frames that were averaged. */
const LEAST_SAMPLES = 64;
const MOST_PIXEL_SAMPLES = 4096;

export interface FrameGhosts {
  run: Run;
  frame: number;
  map: FlickerMap;
  /** Of the picture. */
  share: number;
  /** That it was held against. */
  samples: number;
}

/** The recipe without accumulation, with as many samples a frame as that averages, or more. */
export function byItself(recipe: ResolvedRecipe): ResolvedRecipe {
  const number = (id: string): number => recipe[id] as number;
  const shutter = number('samples.shutter');
  const wanted = Math.max(LEAST_SAMPLES / shutter, number('samples.pixel') * number('samples.history'));
  const pixel = Math.min(MOST_PIXEL_SAMPLES, Math.ceil(wanted));
  return { ...recipe, 'samples.history': 1, 'samples.pixel': pixel };
}

export function useGhosts(
  run: Ref<Run | null>,
  frame: Ref<number>,
  picture: Ref<Picture | null>,
  createPort: () => StabilityPort = createWorker,
) {
  const notices = useNotices();
  const last = shallowRef<FrameGhosts | null>(null);
  const running = shallowRef(false);
  let ticket: RenderTicket | null = null;
  /** Those of the frame that is shown. */
  const ghosts = computed(() => {
    const g = last.value;
    return g && g.frame === frame.value && g.run.order === run.value?.order ? g : null;
  });

  async function look(): Promise<void> {
    const [of, at, shown] = [run.value, frame.value, picture.value];
    const order = of?.order;
    const history = of?.histories[at - of.first];
    if (!of || !order || !history || !shown || running.value) return;
    running.value = true;
    let port: StabilityPort | null = null;
    try {
      const timeSeconds = at / order.rate;
      const recipe = byItself(order.wish.recipe);
      ticket = renderPool().render({ ...order.wish, recipe, camera: order.cameraAt(timeSeconds), timeSeconds });
      const { finished, width, height, samples, views } = await ticket.promise;
      if (!finished) return;
      const truth = copyPicture(views, width, height, samples, false).codes;
      const measuring = (port = createPort());
      const { map, share } = await new Promise<Pick<FrameGhosts, 'map' | 'share'>>((resolve, reject) => {
        measuring.listen((m) => {
          if (m.type === 'failed') reject(new Error(m.message));
          if (m.type === 'ghosts') resolve(m);
        });
        measuring.post({ type: 'ghosts', width, height, shown: shown.codes, truth, history });
      });
      last.value = { run: of, frame: at, map, share, samples };
    } catch (error) {
      notices.flag(error);
    } finally {
      port?.terminate();
      ticket = null;
      running.value = false;
    }
  }
  function cancel(): void {
    ticket?.cancel();
  }
  onUnmounted(cancel);
  return { ghosts, looking: running, look, cancel };
}

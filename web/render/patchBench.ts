/** Tries changes of a recipe on a picture: rendered whole by the page's threads, timed until times agree. */
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { inPixels } from '@daxel/core/measure/rect';
import type { ShadowBench } from '@daxel/core/plan/shadowSearch';
import { timeIsKnown } from '@daxel/core/plan/timing';
import { edgeSource, type Wish } from '../composables/usePreview';
import type { Renderer } from './lonePool';
import { finished } from './runBench';

/** Renders that take longer are timed once. */
const SHORT_SECONDS = 1;

/** @param share of the picture, 0…1 */
export function patchBench(
  pool: Renderer,
  wish: Wish,
  share: { x: number; y: number; width: number; height: number },
): ShadowBench {
  return {
    async try(changes, _asked, signal) {
      const recipe = { ...wish.recipe, ...changes } as Wish['recipe'];
      const { frame, seconds } = await timed(() => {
        signal.throwIfAborted();
        // maps that stand would be used again: each draws its own
        return finished(pool.render({ ...wish, recipe, view: 'picture', fresh: true }), signal);
      });
      const { width, height, views } = frame;
      const codes = views.display.slice(0, width * height * 4);
      return {
        source: edgeSource(frame),
        codes,
        rect: inPixels(share, width, height),
        seconds,
      };
    },
  };
}

/** Renders until its time is known: one that is short, until times agree. @returns the last frame, and the least seconds */
export async function timed(render: () => Promise<RenderedFrame>): Promise<{ frame: RenderedFrame; seconds: number }> {
  const times: number[] = [];
  let frame: RenderedFrame;
  do {
    frame = await render();
    times.push(frame.seconds);
  } while (frame.seconds < SHORT_SECONDS && !timeIsKnown(times));
  return { frame, seconds: Math.min(...times) };
}

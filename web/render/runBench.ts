/** Tries changes of a recipe on a run: parts of a few frames are rendered by the page's threads, and measured in a thread. */
import { SUMS } from '@daxel/core/light/components';
import { FrameRun } from '@daxel/core/frame/run';
import type { RenderedFrame, RenderTicket } from '@daxel/core/frame/renderPool';
import type { Rect } from '@daxel/core/measure/rect';
import { FRAMES_ASIDE, placeAround, type PlaceFlicker } from '@daxel/core/measure/stability/place';
import type { FlickerAsked, FlickerBench, FlickerTrial } from '@daxel/core/plan/flickerSearch';
import type { ResolvedRecipe } from '@daxel/core/recipe/recipe';
import { startOf, timesOf, type RunOrder, type StabilityPort } from '../composables/useRun';
import type { Renderer } from './lonePool';
import type { FromStability, PartFrame } from './stabilityWorker';

export function runBench(pool: Renderer, createPort: () => StabilityPort, order: RunOrder): FlickerBench {
  return {
    async try(changes, asked, signal) {
      // glow comes from parts of the picture that are not rendered
      const recipe: ResolvedRecipe = { ...order.wish.recipe, 'lens.bloom': 0, ...changes };
      const changed: RunOrder = { ...order, wish: { ...order.wish, recipe } };
      const run = new FrameRun(pool, order.scene, order.rate);
      const render = async (number: number, part: Rect | null): Promise<RenderedFrame> => {
        signal.throwIfAborted();
        const timeSeconds = number / order.rate;
        const request = {
          ...changed.wish,
          camera: order.cameraAt(timeSeconds),
          timeSeconds,
          view: 'picture',
          regions: part ? [part] : undefined,
          fresh: !part,
        } as const;
        return finished(run.frame(number, request), signal);
      };
      return measure(createPort, changed, asked, render);
    },
  };
}

type Render = (number: number, part: Rect | null) => Promise<RenderedFrame>;

async function measure(
  createPort: () => StabilityPort,
  order: RunOrder,
  { place, secondsOf }: FlickerAsked,
  render: Render,
): Promise<FlickerTrial> {
  if (!place) return { place: null, seconds: secondsOf === undefined ? 0 : (await render(secondsOf, null)).seconds };
  const { recipe } = order.wish;
  const part = placeAround(place.rect, recipe['output.width'] as number, recipe['output.height'] as number);
  const first = Math.max(order.first, place.frame - FRAMES_ASIDE);
  const last = Math.min(order.last, place.frame + FRAMES_ASIDE);
  const frames: PartFrame[] = [];
  let seconds = 0;
  for (let number = first; number <= last; number++) {
    const whole = number === secondsOf;
    const frame = await render(number, whole ? null : part);
    if (whole) seconds = frame.seconds;
    frames.push(partOf(order, number, frame, part));
  }
  return { place: await ask(createPort(), order, frames, place.rect), seconds };
}

/** @throws what the signal was aborted with, when it was */
export async function finished(ticket: RenderTicket, signal: AbortSignal): Promise<RenderedFrame> {
  const cancel = (): void => ticket.cancel();
  signal.addEventListener('abort', cancel);
  try {
    const frame = await ticket.promise;
    signal.throwIfAborted();
    if (!frame.finished) throw new DOMException('The render was cancelled.', 'AbortError');
    return frame;
  } finally {
    signal.removeEventListener('abort', cancel);
  }
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

function ask(port: StabilityPort, order: RunOrder, frames: PartFrame[], rect: Rect): Promise<PlaceFlicker> {
  return new Promise<PlaceFlicker>((resolve, reject) => {
    port.listen((m: FromStability) => {
      if (m.type === 'failed') reject(new Error(m.message));
      else if (m.type === 'place') resolve(m.place);
    });
    port.post(startOf(order));
    port.post({ type: 'place', frames, rect });
  }).finally(() => port.terminate());
}

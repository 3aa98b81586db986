/** What the only render thread of a page without shared memory does: it holds a pool of its own and sends copies. */
import { BadInputError } from '@daxel/core/errors';
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import { createLocalPort } from '@daxel/core/frame/localPort';
import { RenderPool, type FrameRequest, type RenderedFrame } from '@daxel/core/frame/renderPool';

export type ToLone =
  | { type: 'scene'; id: string; buffer: ArrayBufferLike }
  | { type: 'picture'; id: string; width: number; height: number; rgb: Float32Array }
  | { type: 'forget'; id: string }
  | { type: 'frame'; ticket: number; request: FrameRequest; pictures: boolean };

export type FromLone =
  | { type: 'picture'; ticket: number; views: FrameViews; samples: number }
  | { type: 'done'; ticket: number; frame: RenderedFrame }
  | { type: 'failed'; ticket: number; message: string; badInput: boolean };

/** The arrays that a page reads; the others arrive empty. */
const READ: ReadonlySet<string> = new Set([
  'beauty',
  'display',
  'depth',
  'normal',
  'objectId',
  'overlaid',
  'sums',
  'paths',
]);

/** @returns the handler of messages to this thread */
export function createLoneProgram(post: (message: FromLone) => void): (m: ToLone) => void {
  const pool = new RenderPool([createLocalPort(() => performance.now())]);
  return (m) => {
    if (m.type === 'scene') pool.setScene(m.id, m.buffer);
    else if (m.type === 'picture') pool.setPicture(m.id, m);
    else if (m.type === 'forget') pool.forgetScene(m.id);
    else void draw(pool, m, post);
  };
}

async function draw(
  pool: RenderPool,
  { ticket, request, pictures }: Extract<ToLone, { type: 'frame' }>,
  post: (message: FromLone) => void,
): Promise<void> {
  const onPicture = (views: FrameViews, samples: number): void =>
    post({ type: 'picture', ticket, views: copyOf(views), samples });
  try {
    const frame = await pool.render(request, pictures ? onPicture : undefined).promise;
    post({ type: 'done', ticket, frame: { ...frame, views: copyOf(frame.views) } });
  } catch (error) {
    post({ type: 'failed', ticket, message: (error as Error).message, badInput: error instanceof BadInputError });
  }
}

/** Shared memory cannot be sent from here, even where it can be had. */
function copyOf(views: FrameViews): FrameViews {
  const copies = Object.entries(views).map(([name, array]) => [
    name,
    READ.has(name) ? array.slice() : array.slice(0, 0),
  ]);
  return Object.fromEntries(copies) as FrameViews;
}

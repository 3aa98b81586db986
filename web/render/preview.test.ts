import { findSetting } from '@daxel/core/recipe/settings';
import { describe, expect, it } from 'vitest';
import type { FrameViews } from '@daxel/core/frame/frameMemory';
import type { FrameRequest, RenderedFrame, RenderPool, RenderTicket } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { cameraAt } from '@daxel/core/testing/scenes';
import { coarseRecipe, Preview, type Picture } from './preview';

/** A pool whose frames end when the test says so. @param held seed of requests whose samples it has @param bakes whether they are baked for */
function heldPool(held = -1, bakes = () => false) {
  const asked: { request: FrameRequest; cancelled: boolean; finish: () => void; fail: (e: Error) => void }[] = [];
  const pool = {
    holds: ({ seed }: FrameRequest) => seed === held,
    render(request: FrameRequest): RenderTicket {
      const width = request.recipe['output.width'] as number;
      const height = request.recipe['output.height'] as number;
      let finish: () => void = () => undefined;
      let fail: (e: Error) => void = () => undefined;
      const entry = { request, cancelled: false, finish: () => finish(), fail: (e: Error) => fail(e) };
      const promise = new Promise<RenderedFrame>((resolve, reject) => {
        fail = reject;
        finish = () =>
          resolve({
            finished: !entry.cancelled,
            samples: 1,
            width,
            height,
            views: { display: new Uint8Array(width * height * 4).fill(request.seed) } as unknown as FrameViews,
          } as RenderedFrame);
      });
      asked.push(entry);
      return {
        promise,
        cancel: () => {
          entry.cancelled = true;
          finish();
        },
        progress: () => 0.25,
        bakes,
      };
    },
  } as unknown as RenderPool;
  return { pool, asked };
}
const request = (seed: number): FrameRequest => ({
  sceneId: 's',
  recipe: {
    ...resolveRecipe({ name: 'x', draft: {}, final: {} }, 'draft'),
    'output.width': 400,
    'output.height': 200,
    'samples.pixel': 4,
  },
  camera: cameraAt([0, 0, 1], [0, 0, 0]),
  timeSeconds: 0,
  seed,
});
const settle = (): Promise<void> => new Promise((r) => setTimeout(r, 0));

function listen() {
  const pictures: Picture[] = [];
  const settled: Picture[] = [];
  const errors: string[] = [];
  return {
    pictures,
    settled,
    errors,
    listener: {
      onPicture: (p: Picture) => void pictures.push(p),
      onSettled: (p: Picture) => void settled.push(p),
      onError: (e: Error) => void errors.push(e.message),
    },
  };
}

describe('the preview', () => {
  it('does not stand while a newer wish is still to be drawn', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1));
    asked[0].finish();
    await settle();
    // the picture is whole in the very moment a newer one is wished for
    asked[1].finish();
    preview.show(request(2));
    await settle();
    expect(heard.settled).toEqual([]);
    asked[2].finish();
    await settle();
    asked[3].finish();
    await settle();
    expect(heard.settled).toMatchObject([{ coarse: false, samples: 1 }]);
  });

  it('draws a coarse picture first and then the full one', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    new Preview(pool, heard.listener).show(request(1));
    expect(asked[0].request.recipe).toMatchObject({ 'output.width': 100, 'output.height': 50, 'samples.pixel': 1 });
    asked[0].finish();
    await settle();
    expect(heard.pictures).toMatchObject([{ coarse: true, width: 100 }]);
    asked[1].finish();
    await settle();
    expect(heard.settled).toMatchObject([{ coarse: false, width: 400 }]);
  });

  it('draws no coarse picture of what needs only to be developed anew', async () => {
    const { pool, asked } = heldPool(7);
    const { settled, listener } = listen();
    new Preview(pool, listener).show(request(7));
    await settle();
    expect(asked.map((a) => [a.request.recipe['output.width'], a.request.reuse])).toEqual([[400, true]]);
    asked[0].finish();
    await settle();
    expect(settled).toHaveLength(1);
  });

  it('cancels a full picture for a newer wish', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1));
    asked[0].finish();
    await settle();
    preview.show(request(2));
    expect(asked[1].cancelled).toBe(true);
    await settle();
    expect(asked[2].request.seed).toBe(2);
    asked[2].finish();
    await settle();
    asked[3].finish();
    await settle();
    expect(heard.settled.map((p) => p.codes[0])).toEqual([2]);
  });

  it('lets a coarse picture finish, so that it follows a hand that never rests', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1));
    for (let seed = 2; seed < 9; seed++) preview.show(request(seed));
    expect(asked.length).toBe(1);
    expect(asked[0].cancelled).toBe(false);
    asked[0].finish();
    await settle();
    expect(heard.pictures.length).toBe(1);
    // the wishes between are skipped: the newest is next
    expect(asked[1].request.seed).toBe(8);
  });

  it('stops one that is being baked for, and says how far that is', async () => {
    let baking = true;
    const { pool, asked } = heldPool(-1, () => baking);
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    expect(preview.baked()).toBe(null);
    preview.show(request(1));
    expect(preview.baked()).toBe(0.25);
    preview.show(request(2));
    expect(asked[0].cancelled).toBe(true);
    await settle();
    expect(heard.pictures.length).toBe(0);
    expect(asked[1].request.seed).toBe(2);
    baking = false;
    expect(preview.baked()).toBe(null);
    preview.cancel();
    expect(asked[1].cancelled).toBe(false);
  });

  it('tells of a failure and goes on with the next wish', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1));
    asked[0].fail(new Error('too large'));
    await settle();
    expect(heard.errors).toEqual(['too large']);
    preview.show(request(2));
    asked[1].finish();
    await settle();
    expect(heard.pictures.length).toBe(1);
  });

  it('shows nothing more once it is cancelled', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1));
    asked[0].finish();
    await settle();
    preview.cancel();
    await settle();
    expect(asked[1].cancelled).toBe(true);
    expect(heard.settled).toEqual([]);
  });

  it('changes only what makes a coarse picture quick', () => {
    const full = request(1).recipe;
    const coarse = coarseRecipe(full);
    for (const id of Object.keys(full)) {
      const setting = findSetting(id)!;
      if (['output.width', 'output.height'].includes(id) || ('coarse' in setting && setting.coarse !== undefined))
        continue;
      expect(coarse[id]).toBe(full[id]);
    }
  });

  it('draws coarse maps where no better picture will use them, and stops there', async () => {
    const { pool, asked } = heldPool();
    const heard = listen();
    const preview = new Preview(pool, heard.listener);
    preview.show(request(1), true);
    asked[0].finish();
    await settle();
    const { recipe } = request(1);
    for (const id of ['shadows.resolution', 'shadows.localResolution'])
      expect(asked[0].request.recipe[id]).toBeLessThan(recipe[id] as number);
    expect(asked.length).toBe(1);
    expect(heard.pictures).toMatchObject([{ coarse: true, width: 100 }]);
    expect(heard.settled).toEqual([]);
    // the whole scene's picture comes with the maps that the recipe asks for, for both its pictures
    preview.show(request(2));
    expect(asked[1].request.recipe['shadows.localResolution']).toBe(recipe['shadows.localResolution']);
  });
});

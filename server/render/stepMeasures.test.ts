import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { deflateSync } from 'node:zlib';
import type { RenderedFrame } from '@daxel/core/frame/renderPool';
import { resolveRecipe } from '@daxel/core/recipe/recipe';
import { writeExr } from '@daxel/formats/exr/writeExr';
import { afterAll, describe, expect, it } from 'vitest';
import { figuresAgainst } from './stepMeasures';

const dir = mkdtempSync(join(tmpdir(), 'daxel-step-'));
afterAll(() => rmSync(dir, { recursive: true }));

const [width, height] = [60, 40];
const patch = { x: 20, y: 10, width: 16, height: 12 };
const recipe = resolveRecipe({ name: 'r', draft: {}, final: {} }, 'draft');

/** A picture of which only the patch was rendered: what lies around it is left over from others. */
function picture(around: number, inside = 0.3): RenderedFrame {
  const beauty = new Float32Array(width * height * 3).fill(around);
  for (let y = patch.y; y < patch.y + patch.height; y++)
    beauty.fill(inside, (y * width + patch.x) * 3, (y * width + patch.x + patch.width) * 3);
  return { width, height, views: { beauty } } as unknown as RenderedFrame;
}
const path = join(dir, 'reference.exr');
const data = picture(0).views.beauty;
const channels = ['R', 'G', 'B'].map((name, offset) => ({ name, data, stride: 3, offset }));
writeFileSync(path, writeExr({ width, height, pixelType: 'float', channels, deflate: (bytes) => deflateSync(bytes) }));

describe('figures of a part', () => {
  it('are of the part alone, where nothing else was rendered', async () => {
    const [same] = await figuresAgainst(path, picture(5), recipe, [patch], true);
    expect(same.flip).toBe(0);
    expect(same.rmse).toBe(0);
    const [other] = await figuresAgainst(path, picture(0, 0.5), recipe, [patch], true);
    expect(other.flip).toBeGreaterThan(0.05);
  });

  it('see what lies beside the part, where that was rendered', async () => {
    const [beside] = await figuresAgainst(path, picture(5), recipe, [patch], false);
    expect(beside.flip).toBeGreaterThan(0);
    expect(beside.rmse).toBe(0);
  });

  it('of a part that reaches beyond the picture are of what lies in it', async () => {
    const beyond = { ...patch, x: width - 4 };
    const [f] = await figuresAgainst(path, picture(0), recipe, [beyond], true);
    expect(f.flip).toBe(0);
  });
});

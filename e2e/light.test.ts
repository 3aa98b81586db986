import { writeFileSync } from 'node:fs';
import { mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { checkAccess, launch, longestBlock, openShot, openTab, pictureHash, settled, type Tab } from './browser';

let browser: Browser;
let tab: Tab;
let page: Page;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());
beforeEach(async () => {
  tab = await openTab(browser);
  page = tab.page;
});
afterEach(async () => {
  tab.checkQuiet();
  await page.context().close();
});

const rig = (name: string) => page.getByRole('region', { name: new RegExp(`^Rig [A-L], ${name}$`) });
const field = (label: string) => page.getByLabel(label, { exact: true });
const toLight = async (shot: string): Promise<void> => {
  await openShot(page, shot);
  await page.getByRole('link', { name: 'Light', exact: true }).click();
  await settled(page);
};
/** Undoes everything that a test has done: all tests work on one server. */
const takeBack = async (): Promise<void> => {
  const undo = page.getByRole('button', { name: 'Undo', exact: true }).last();
  while (await undo.isEnabled()) await undo.click();
  await page.getByText('Saved').waitFor();
};
const redrawn = async (before: number): Promise<number> => {
  await page.waitForFunction(
    (old) => {
      const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture] canvas[data-coarse=false]');
      if (!canvas || document.body.textContent?.includes('drawing…')) return false;
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
      let hash = 0;
      for (const value of data) hash = (Math.imul(hash, 31) + value) | 0;
      return hash !== old;
    },
    before,
    { polling: 300 },
  );
  return pictureHash(page);
};

describe('rigs', () => {
  it('of the lamp room stand in a row as live pictures of the same view', async () => {
    await toLight('lamp-room');
    for (const name of ['As it came', 'Night watch', 'Overcast, work light'])
      await rig(name).locator('canvas').waitFor();
    await checkAccess(page);
  });

  it('are made, edited, renamed, undone and deleted', async () => {
    await toLight('penumbra-scale');
    await page.getByRole('button', { name: 'New rig from this' }).click();
    await rig('As it came copy').locator('canvas').waitFor();
    await settled(page);
    const first = await pictureHash(page);
    await field('Intensity').fill('30000');
    await page.keyboard.press('Enter');
    const dimmer = await redrawn(first);
    expect(dimmer).not.toBe(first);
    await rig('As it came copy').getByRole('button', { name: 'As it came copy', exact: true }).click();
    await page.getByLabel('Name of the rig').fill('dimmer');
    await page.keyboard.press('Enter');
    await rig('dimmer').waitFor();
    await page.getByRole('button', { name: 'Undo' }).click();
    await rig('As it came copy').waitFor();
    await rig('As it came copy')
      .getByRole('button', { name: /More for rig/ })
      .click();
    await page.getByRole('menuitem', { name: 'Delete' }).click();
    await rig('As it came copy').waitFor({ state: 'detached' });
    expect(await redrawn(dimmer)).toBe(first);
    await takeBack();
  });

  it('are compared by a slider, and the mix is kept as a rig that gives the same picture', async () => {
    await toLight('thin-wall');
    await page.getByRole('button', { name: 'New rig from this' }).click();
    await rig('As it came copy').waitFor();
    await page.getByRole('button', { name: 'Add a light: Point' }).click();
    await page.getByRole('button', { name: 'Solo point 2' }).click();
    await settled(page);
    await page.getByLabel('Blend with').selectOption({ label: 'As it came' });
    await page.getByText('drawing both…').waitFor();
    await page.getByText('drawing both…').waitFor({ state: 'detached' });
    const slider = page.getByLabel('Share of the other rig');
    await slider.fill('0.3');
    const mixed = await page.$eval('[data-testid=picture] canvas', (element) => {
      const canvas = element as HTMLCanvasElement;
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
      return Array.from({ length: Math.floor(data.length / 97) }, (_, i) => data[i * 97]);
    });
    await page.getByRole('button', { name: 'Keep as a new rig' }).click();
    await rig('As it came copy 70 \\+ As it came 30').waitFor();
    await page.getByText('drawing…', { exact: true }).waitFor();
    await settled(page);
    const kept = await page.$eval('[data-testid=picture] canvas', (element) => {
      const canvas = element as HTMLCanvasElement;
      const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
      return Array.from({ length: Math.floor(data.length / 97) }, (_, i) => data[i * 97]);
    });
    expect(kept.length).toBe(mixed.length);
    let worst = 0;
    for (let i = 0; i < kept.length; i++) worst = Math.max(worst, Math.abs(kept[i] - mixed[i]));
    // one code of dither
    expect(worst).toBeLessThanOrEqual(2);
    await takeBack();
  });
});

describe('handles on the picture', () => {
  it('move, aim and size a light by hand and by keys', async () => {
    await toLight('thin-wall');
    const start = await pictureHash(page);
    await page.getByRole('button', { name: 'Add a light: Spot' }).click();
    await redrawn(start);
    await settled(page);
    const handle = (part: string) => page.locator(`[data-handle=${part}]`);
    const before = await pictureHash(page);
    const x = await field('Position X').inputValue();
    const box = (await handle('position').boundingBox())!;
    const [cx, cy] = [box.x + box.width / 2, box.y + box.height / 2];
    await page.mouse.move(cx, cy);
    await page.mouse.down();
    await page.mouse.move(cx + 60, cy + 10, { steps: 6 });
    await page.mouse.up();
    expect(Number(await field('Position X').inputValue())).toBeGreaterThan(Number(x) + 0.1);
    await redrawn(before);
    // the hand is where the handle is
    const after = (await handle('position').boundingBox())!;
    expect(Math.abs(after.x + after.width / 2 - cx - 60)).toBeLessThan(3);
    const width = await field('Cone').inputValue();
    await handle('size').focus();
    for (let i = 0; i < 4; i++) await page.keyboard.press('Shift+ArrowRight');
    expect(await field('Cone').inputValue()).not.toBe(width);
    const direction = await field('Direction X').inputValue();
    await handle('aim').focus();
    await page.keyboard.press('ArrowLeft');
    expect(await field('Direction X').inputValue()).not.toBe(direction);
    expect(await longestBlock(page, () => settled(page))).toBeLessThan(200);
    await takeBack();
  });
});

describe('surroundings', () => {
  it('take a dropped picture, split its sun off as a light, and can be undone', async () => {
    const dir = await mkdtemp(join(tmpdir(), 'daxel-sky-'));
    const file = join(dir, 'sky.hdr');
    const head = Buffer.from('#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y 32 +X 64\n');
    const pixels = Buffer.alloc(64 * 32 * 4);
    // dim blue, and one bright pixel high up
    for (let i = 0; i < pixels.length; i += 4) pixels.set([60, 80, 140, 136], i);
    pixels.set([220, 210, 190, 152], (8 * 64 + 20) * 4);
    writeFileSync(file, Buffer.concat([head, pixels]));
    try {
      await toLight('grazing-plane');
      await page.getByRole('tab', { name: 'Surroundings' }).click();
      const before = await pictureHash(page);
      await page.getByLabel('Environment picture').setInputFiles(file);
      await page.getByText('sky.hdr (64×32) is around the scene now.').waitFor();
      const pictured = await redrawn(before);
      await page.getByRole('button', { name: 'Split off the sun' }).click();
      await page.getByRole('tab', { name: 'Lights' }).waitFor();
      await page.getByRole('button', { name: 'sun of the picture', exact: true }).waitFor();
      await redrawn(pictured);
      await checkAccess(page);
      await takeBack();
      await page.getByRole('button', { name: 'sun of the picture', exact: true }).waitFor({ state: 'detached' });
    } finally {
      await rm(dir, { recursive: true });
    }
  });
});

describe('exposure', () => {
  it('is metered on the whole, shown as stops, and brought to middle grey in one press', async () => {
    await toLight('thin-wall');
    await page.getByRole('tab', { name: 'Exposure' }).click();
    const before = await pictureHash(page);
    await page.getByRole('img', { name: 'Histogram in stops from white' }).waitFor();
    await page.getByText(/clipped \d/).waitFor();
    await field('Exposure of this rig').fill('2');
    await page.keyboard.press('Enter');
    await redrawn(before);
    const suggestion = page.getByRole('button', { name: /To middle grey, −?-?[\d.]+ EV/ });
    await suggestion.click();
    await page.getByRole('button', { name: /To middle grey, 0 EV/ }).waitFor();
    await page.getByRole('button', { name: 'Zebra' }).click();
    await page.getByRole('img', { name: 'Stripes where clipped, dots where crushed' }).waitFor();
    await checkAccess(page);
    await takeBack();
  });
});

describe('views of light and shadow', () => {
  it('mark acne once the bias is taken away, and the key says what colours mean', async () => {
    await openShot(page, 'grazing-plane');
    await settled(page);
    await page.locator('[data-stage=shadows]').click();
    await page.getByLabel('View').selectOption('faults');
    await page.getByText('shadow maps held against traced shadows').waitFor();
    await settled(page);
    const ember = (): Promise<number> =>
      page.$eval('[data-testid=picture] canvas', (element) => {
        const canvas = element as HTMLCanvasElement;
        const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
        let n = 0;
        for (let i = 0; i < data.length; i += 4) if (data[i] > 200 && data[i + 1] < 110 && data[i + 2] < 80) n++;
        return n;
      });
    const calm = await ember();
    const before = await pictureHash(page);
    await page.getByRole('switch', { name: 'Automatic bias, draft' }).click();
    for (const name of ['Slope bias, draft', 'Normal offset, draft']) {
      await page.getByRole('textbox', { name, exact: true }).fill('0');
      await page.keyboard.press('Enter');
    }
    await redrawn(before);
    // each of the three changes draws a picture of its own
    await expect.poll(ember, { timeout: 45_000 }).toBeGreaterThan(calm + 20_000);
    await checkAccess(page);
    await takeBack();
  });

  it('find what cures a shadow edge, with its measured price', async () => {
    await openShot(page, 'far-shadows');
    await settled(page);
    await page.locator('[data-stage=shadows]').click();
    await page.getByRole('tab', { name: 'Shadow edges' }).click();
    await page.getByRole('button', { name: 'Find the cure for near posts' }).click();
    const table = page.getByTestId('cures');
    await table.waitFor({ timeout: 90_000 });
    expect(await table.textContent()).toMatch(/Sun map resolution 4096.*px.*[ms], (≈ the same|[+−]\d+ %)/);
    await table.getByRole('button', { name: /Use Sun map resolution/ }).click();
    await page.getByRole('textbox', { name: 'Sun map resolution, draft', exact: true }).waitFor();
    expect(await page.getByRole('textbox', { name: 'Sun map resolution, draft', exact: true }).inputValue()).toBe(
      '4096',
    );
    await takeBack();
  });
});

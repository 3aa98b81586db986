import { readFile } from 'node:fs/promises';
import { decode } from 'fast-png';
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { encodePng8 } from '@daxel/formats/png/displayPng';
import { checkAccess, launch, longestBlock, openSmall, openTab, settled, takeRecipeBack, type Tab } from './browser';

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

const toScreen = (shot: string, screen: string, more?: Record<string, number | string>): Promise<void> =>
  openSmall(page, shot, screen, more);
const takeBack = (): Promise<void> => takeRecipeBack(page);
const candidates = () => page.getByRole('complementary', { name: 'Candidates' });
const figures = () => page.getByRole('region', { name: 'Figures against the reference' });
async function add(name: string): Promise<void> {
  await page.getByRole('button', { name: 'Add a picture…' }).click();
  await page.getByRole('menuitem', { name, exact: true }).click();
  await page.waitForFunction(
    (n) => new RegExp(`${n}.*\\d+×\\d+, `).test(document.querySelector('.list')?.textContent ?? ''),
    name,
  );
}

describe('Compare', () => {
  it('holds the rasterised picture against the path-traced one, with figures per patch and their noise', async () => {
    await toScreen('penumbra-scale', 'Compare', { 'lens.exposure': -8.75 });
    await add('Draft, path traced');
    await candidates().getByLabel('C is the reference').check();
    // draft and final are one recipe here: the same figures, and every patch its own row
    await figures().getByText('whole picture').first().waitFor();
    await page.waitForFunction(() => !document.body.textContent?.includes('measuring…'));
    const cells = await figures().locator('tbody tr').first().locator('.figure').allTextContents();
    expect(Number(cells[0])).toBeGreaterThan(0);
    expect(Number(cells[0])).toBeLessThan(0.5);
    expect(Number(cells.at(-1))).toBeGreaterThan(0);
    await checkAccess(page);

    // ways of looking: each changes what is drawn
    const hash = () =>
      page.$eval('[data-testid=compare]', (element) => {
        const canvas = element as HTMLCanvasElement;
        const { data: codes } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
        let sum = 0;
        for (const v of codes) sum = (Math.imul(sum, 31) + v) | 0;
        return sum;
      });
    const seen = new Set<number>();
    for (const key of ['w', 'f', 'f', 's', 'l', 'x']) {
      await page.keyboard.press(key);
      await expect
        .poll(async () => !seen.has(await hash()), { timeout: 10_000, message: `${key} ${seen.size} ${page.url()}` })
        .toBe(true);
      seen.add(await hash());
    }
    expect(page.url()).toContain('mode=difference');
    // down to single pixels, with their values
    const box = (await page.locator('[data-testid=compare]').boundingBox())!;
    await page.mouse.move(box.x + box.width / 2, box.y + box.height / 2);
    // in, out and in again: what a busy neighbour does once to the page is not the page's
    const blocks: number[] = [];
    for (const way of [-100, 100, -100]) {
      blocks.push(
        await longestBlock(page, async () => {
          for (let i = 0; i < 14; i++) await page.mouse.wheel(0, way);
        }),
      );
    }
    expect(Math.min(...blocks)).toBeLessThan(200);
    await page.mouse.move(box.x + box.width / 2 + 3, box.y + box.height / 2);
    await expect
      .poll(() => page.locator('[data-testid=pixel]').textContent())
      .toMatch(/\d+, \d+\s*A\s*[\d.e-]+ [\d.e-]+/);

    // the address brings it all back
    const waiting = page.waitForEvent('download');
    await page.getByRole('button', { name: 'CSV', exact: true }).click();
    const csv = await readFile(await (await waiting).path(), 'utf8');
    expect(csv.split('\n')[0]).toContain('flip,ssim,psnr_db');
    expect(csv).toContain('"whole picture",A,');
    await page.getByRole('button', { name: /^Remove B/ }).click();
    const count = (): Promise<number> => candidates().locator('li').count();
    await expect.poll(count, { timeout: 10_000 }).toBe(2);
    await page.reload();
    await candidates().getByText('Draft, path traced').waitFor();
    await expect.poll(count, { timeout: 10_000 }).toBe(2);
    await takeBack();
  });

  it('takes pictures from files, refuses what is none, and saves a contact sheet', async () => {
    await toScreen('thin-wall', 'Compare');
    const gray = (v: number, w = 160, h = 96): Buffer =>
      Buffer.from(encodePng8(new Uint8Array(w * h * 4).fill(v), w, h));
    await page.getByRole('button', { name: 'Add a picture…' }).click();
    await page.locator('input[type=file][accept=".png,.exr"]').setInputFiles([
      { name: 'card.png', mimeType: 'image/png', buffer: gray(90) },
      { name: 'wide.png', mimeType: 'image/png', buffer: gray(90, 80, 48) },
      { name: 'notes.png', mimeType: 'image/png', buffer: Buffer.from('hello') },
    ]);
    await candidates().getByText('notes.png: it is neither a PNG nor an OpenEXR picture').waitFor();
    await candidates().getByText('160×96', { exact: true }).waitFor();
    await candidates().getByLabel('C is the reference').check();
    await figures()
      .getByText(/is 80×48 and card\.png is 160×96: render both at one size/)
      .first()
      .waitFor();
    const waiting = page.waitForEvent('download');
    await page.getByRole('button', { name: 'Contact sheet' }).click();
    const sheet = decode(await readFile(await (await waiting).path()));
    expect(sheet.width).toBeGreaterThan(320);
    await takeBack();
  });

  it('proposes light levels that match the reference, and writes them to the rig', async () => {
    // a shot that no test makes stills of: two renders of one recipe are compared
    await toScreen('far-shadows', 'Compare');
    // an address opened afresh
    await page.waitForURL(/\/compare/);
    await page.goto(`${page.url().split('?')[0]}?with=live:draft:raster,live:final:raster&ref=live:final:raster`);
    // two renders of one recipe, Draft and Final: what the figures come to is said
    await page.locator('.says', { hasText: /whole picture: (As bright|\d\.\d\d stop|No difference)/ }).waitFor();
    await page.getByRole('button', { name: 'Match levels…' }).click();
    const levels = page.locator('[data-testid=level]');
    await levels.first().waitFor();
    for (const text of await levels.allTextContents())
      expect(Math.abs(Number(/ ×(\d+\.\d\d)$/.exec(text)![1]) - 1)).toBeLessThan(0.1);
    // never farther from the reference than before
    const said = await page.getByRole('region', { name: 'Match levels' }).textContent();
    const [before, after] = [...said!.matchAll(/([\d.]+) %/g)].map((m) => Number(m[1]));
    expect(after).toBeLessThanOrEqual(before);
    await page.getByRole('button', { name: /^Apply to rig/ }).click();
    await page.getByText('The levels were written to the rig').waitFor();
    await takeBack();
  });
});

describe('Wedges', () => {
  it('fill in on the server, find the knee in words, and write the step into the recipe', async () => {
    await toScreen('grazing-plane', 'Wedges');
    await page.getByLabel('Steps', { exact: true }).fill('1, 4, 16');
    await page.getByRole('button', { name: 'Render the wedge' }).click();
    await page.getByText('3 of 3 steps').waitFor();
    await page.locator('[data-testid=knee]').first().waitFor();
    expect(await page.locator('[data-testid=steps] img').count()).toBe(3);
    await checkAccess(page);
    await page.locator('[data-testid=steps] button').nth(2).click();
    await page.getByRole('button', { name: 'use the chosen step: Pixel samples 16' }).click();
    await page.getByText('Pixel samples 16 is in the Draft tier now.').waitFor();
    await page.getByLabel('Steps', { exact: true }).fill('4');
    await page.getByText('A wedge needs at least two steps').waitFor();
    await takeBack();
  });

  it('try every setting one notch down and up, and give each its price in Tune', async () => {
    // traced shadows have fewer settings than maps: fewer notches to wait for
    const size = { 'output.width': 96, 'output.height': 60 };
    await toScreen('band-combs', 'Wedges', { ...size, 'shadows.method': 'traced' });
    await page.getByRole('button', { name: 'Run for draft' }).click();
    await page.getByRole('heading', { name: 'What to lower first' }).waitFor();
    await page.waitForFunction(() => /(\d+) of \1 steps/.test(document.body.textContent ?? ''), null, {
      timeout: 150_000,
    });
    await page.getByText('Every notch').waitFor();
    await page.getByRole('link', { name: 'Tune', exact: true }).click();
    await settled(page);
    await page.getByRole('button', { name: /^(changed: )?Pixel samples/ }).click();
    // a machine with neighbours may not be able to say whether the time differs, and then says that
    await page
      .getByRole('region', { name: 'About Pixel samples' })
      .getByText(/^\d+: (.*time|time within what this machine varies), .*visible/)
      .first()
      .waitFor();
    await takeBack();
  }, 240_000);
});

import { readFile } from 'node:fs/promises';
import { decode } from 'fast-png';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'playwright-core';
import { EXRLoader } from 'three/examples/jsm/loaders/EXRLoader.js';
import { FloatType } from 'three';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, inject, it } from 'vitest';
import * as schema from '@daxel/api/schemas';
import { quad } from '@daxel/core/testing/scenes';
import { emptyScene } from '@daxel/core/scene/source';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { smallGlb } from '@daxel/server/testing/harness';
import { checkAccess, launch, openShot, openSmall, openTab, settled, takeRecipeBack, type Tab } from './browser';

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

/** Gives a shot a quick Final tier through the interface's own way, a recipe file. */
async function makeQuick(samples: number, size = [160, 90]): Promise<void> {
  const values = { 'samples.pixel': samples, 'output.width': size[0], 'output.height': size[1], 'lens.exposure': -12 };
  const recipe = { format: 'daxel-recipe', version: 1, name: `quick ${samples}`, draft: values, final: values };
  await page
    .getByLabel('Recipe file')
    .setInputFiles({ name: 'quick.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(recipe)) });
  await page.getByRole('button', { name: `Recipe quick ${samples}` }).waitFor();
  await page.getByText('Saved', { exact: true }).waitFor();
}
async function download(kind: string): Promise<Buffer> {
  const waiting = page.waitForEvent('download');
  await page.locator(`[data-file=${kind}]`).click();
  return readFile(await (await waiting).path());
}

describe('a still', () => {
  it('is rendered on the server, listed with what it took, wiped against the draft, and downloaded in four forms', async () => {
    await openShot(page, 'grazing-plane');
    await settled(page);
    await makeQuick(16);
    await page.keyboard.press('r');
    await page.getByRole('button', { name: 'Watch it' }).click();
    await page.locator('[data-file=png8]').waitFor();
    expect(await page.getByRole('complementary', { name: 'About this still' }).textContent()).toMatch(
      /grazing-plane.*160×90, 16 samples.*Samples.*ms/s,
    );
    await page.locator('canvas.draft').waitFor();
    const box = (await page.locator('.picture').boundingBox())!;
    await page.mouse.move(box.x + box.width * 0.5, box.y + 20);
    await page.mouse.down();
    await page.mouse.move(box.x + box.width * 0.8, box.y + 20, { steps: 3 });
    await page.mouse.up();
    expect(await page.locator('canvas.draft').getAttribute('style')).toContain('20%');
    await checkAccess(page);
    const png8 = decode(await download('png8'));
    const png16 = decode(await download('png16'));
    expect([png8.width, png8.height, png8.depth, png16.depth]).toEqual([160, 90, 8, 16]);
    const exr = await download('exr-float');
    const half = await download('exr-half');
    expect(half.length).toBeLessThan(exr.length);
    const loader = new EXRLoader();
    loader.setDataType(FloatType);
    const read = loader.parse(exr.buffer.slice(exr.byteOffset, exr.byteOffset + exr.length) as ArrayBuffer) as {
      width: number;
      data: Float32Array;
    };
    expect(read.width).toBe(160);
    // scene-linear light of the open plane, and its display code, agree
    const bottom = read.data[(2 * 160 + 10) * 4];
    expect(bottom).toBeGreaterThan(0.02);
    expect(bottom).toBeLessThan(1);
    await takeRecipeBack(page);
  });

  it('has the same scene-linear bits from the browser and from the server', async () => {
    await openShot(page, 'thin-wall');
    await settled(page);
    await makeQuick(4);
    await settled(page, 4);
    await page.keyboard.press('r');
    await page.getByRole('button', { name: 'Watch it' }).click();
    await page.locator('[data-file=png8]').waitFor();
    const id = page.url().split('/').at(-1) ?? '';
    const still = schema.still.parse(await (await fetch(new URL(`/api/stills/${id}`, inject('url')))).json());
    await page.getByRole('link', { name: 'Tune', exact: true }).click();
    await settled(page, 4);
    await page.getByText(`bits ${still.beautyHash?.slice(0, 8)}`).waitFor();
    await takeRecipeBack(page);
  });

  it('shows progress and a picture forming, and can be cancelled and rendered again', async () => {
    await openShot(page, 'fine-lines');
    await settled(page);
    await makeQuick(4096, [480, 272]);
    await page.getByRole('button', { name: 'Render still' }).click();
    await page.getByRole('button', { name: 'Watch it' }).click();
    await page.getByText(/% · \d+ s elapsed/).waitFor();
    await page.locator('.picture img').waitFor();
    await page.getByText(/left/).first().waitFor();
    await page.getByRole('button', { name: 'Cancel' }).click();
    await page.getByText('Cancelled', { exact: true }).waitFor();
    await page.getByRole('button', { name: 'Render again' }).waitFor();
    await page.getByRole('button', { name: 'Delete still' }).click();
    await page.getByText('The still was deleted.').waitFor();
    await takeRecipeBack(page);
  });

  it('can be reached again by its address, and the list by keys', async () => {
    await openShot(page, 'thin-wall');
    await settled(page);
    await page.getByRole('link', { name: 'Output' }).click();
    await page.locator('.output-list .chosen').waitFor();
    const address = page.url();
    await page.keyboard.press('ArrowDown');
    await page.waitForURL((url) => url.href !== address);
    await page.goto(address);
    await page.locator('.output-list .chosen').waitFor();
  });
});

describe('a sequence', () => {
  const map = () => page.getByRole('group', { name: 'Frame map' });
  const ask = async (last: number): Promise<void> => {
    await page.getByRole('button', { name: 'Render frames…' }).waitFor();
    await page.keyboard.press('r');
    await page.getByLabel('First frame').fill('8');
    await page.getByLabel('Last frame').fill(String(last));
    await page.getByLabel('Last frame').press('Enter');
    await page.getByRole('button', { name: 'Render out' }).click();
    await page.waitForURL(/sequences/);
  };

  it('is rendered out frame by frame, checked, stepped through, downloaded and played as a movie', async () => {
    await openSmall(page, 'spinning-bar', 'Output');
    await page.getByRole('button', { name: 'Render frames…' }).click();
    await page.getByText('as in spinning-bar.0008.exr').waitFor();
    await page.getByLabel('Last frame').fill('2');
    await page.getByLabel('Last frame').press('Enter');
    await page.getByRole('alert').getByText('the last frame comes before the first').waitFor();
    await page.getByLabel('File names').fill('bar_##');
    await page.keyboard.press('Tab');
    await checkAccess(page);
    await page.getByLabel('Last frame').fill('11');
    await page.getByLabel('Last frame').press('Enter');
    await page.getByRole('button', { name: 'Render out' }).click();
    await page.getByText('All 4 frames are there, and nothing stands out.').waitFor();
    expect(await map().getByRole('button').count()).toBe(4);
    await page.getByRole('img', { name: 'Frame 11 of spinning-bar' }).waitFor();
    await page.keyboard.press('ArrowLeft');
    await page.getByRole('img', { name: 'Frame 10 of spinning-bar' }).waitFor();
    await map().getByRole('button', { name: 'frame 8: finished' }).click();
    await page.getByRole('img', { name: 'Frame 8 of spinning-bar' }).waitFor();
    await checkAccess(page);
    const waiting = page.waitForEvent('download');
    await page.locator('[data-zip=png8]').click();
    const entries = unzipSync(await readFile(await (await waiting).path()));
    // in a folder that says format and depth: frames of two kinds may have one name
    const names = [8, 9, 10, 11].map((n) => `spinning-bar-8-11-png8/bar_${String(n).padStart(2, '0')}.png`);
    expect(Object.keys(entries)).toEqual(names);
    await page.getByRole('button', { name: 'Play movie' }).click();
    const video = page.locator('video');
    await video.waitFor();
    await expect.poll(() => video.evaluate((v: HTMLVideoElement) => v.duration)).toBeCloseTo(4 / 24, 2);
    expect(await video.evaluate((v: HTMLVideoElement) => [v.videoWidth, v.videoHeight])).toEqual([160, 96]);
    const saving = page.waitForEvent('download');
    await page.locator('[data-movie]').click();
    const movie = await saving;
    expect(movie.suggestedFilename()).toBe('spinning-bar-8-11.webm');
    // the four bytes every WebM file begins with
    expect([...(await readFile(await movie.path())).subarray(0, 4)]).toEqual([0x1a, 0x45, 0xdf, 0xa3]);
    await takeRecipeBack(page);
  });

  it('can be paused, resumed, cancelled, deleted and brought back', async () => {
    await openSmall(page, 'spinning-bar', 'Output', { 'samples.pixel': 64 });
    await ask(407);
    await map().getByRole('button', { name: 'frame 8: finished' }).waitFor();
    await page.getByRole('button', { name: 'Pause', exact: true }).click();
    await page.getByText(/of 400 frames, paused/).waitFor();
    await page.getByRole('button', { name: 'Resume' }).click();
    await page.getByText(/of 400 frames, rendering, .* left/).waitFor();
    // it is seen from everywhere
    await page.getByRole('link', { name: 'Motion', exact: true }).click();
    await page.getByRole('button', { name: 'Running jobs' }).click();
    await page.getByRole('menuitem', { name: /spinning-bar, frame \d+ of 400/ }).click();
    await page.getByRole('button', { name: 'Cancel', exact: true }).click();
    await page.getByRole('button', { name: /Render the \d+ missing/ }).waitFor();
    await page.getByRole('button', { name: 'Delete sequence' }).click();
    await page.getByText('The sequence was deleted.').waitFor();
    const address = page.url();
    await page.getByRole('button', { name: 'Undo' }).click();
    await page.getByRole('button', { name: /spinning-bar 8–407/ }).click();
    await page.waitForURL((url) => url.href !== address);
    await page.getByText(/of 400 frames, cancelled/).waitFor();
    await page.getByRole('button', { name: 'Delete sequence' }).click();
    await page.getByText('The sequence was deleted.').waitFor();
    await takeRecipeBack(page);
  });
});

describe('a scene of one’s own', () => {
  const drop = async (name: string, bytes: Uint8Array): Promise<void> => {
    const transfer = await page.evaluateHandle(
      ([file, data]) => {
        const t = new DataTransfer();
        t.items.add(new File([Uint8Array.from(data as number[])], file as string));
        return t;
      },
      [name, [...bytes]],
    );
    await page.locator('section.page').dispatchEvent('drop', { dataTransfer: transfer });
  };

  it('dropped becomes a project with its cameras as shots, and renders', async () => {
    await page.goto('/projects');
    await page.getByRole('heading', { name: 'Marrow Skerry Light' }).waitFor();
    await checkAccess(page);
    await drop('quay.glb', await smallGlb());
    await page.waitForURL(/tune$/);
    await settled(page);
    await page.getByRole('button', { name: /Choose a shot/ }).click();
    await page.getByRole('menuitem', { name: 'side' }).click();
    await settled(page);
    await makeQuick(2);
    await page.keyboard.press('r');
    await page.getByRole('button', { name: 'Watch it' }).click();
    await page.locator('[data-file=exr-half]').waitFor();
  });

  it('without light or camera is told what it was given', async () => {
    const bare = emptyScene('bare');
    bare.meshes = [{ name: 'plate', primitives: [quad(1, 0, -1)] }];
    bare.nodes = [
      { name: 'plate', parent: -1, translation: [0, 0, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1], mesh: 0 },
    ];
    await page.goto('/projects');
    await drop('bare.glb', await writeGlb(bare));
    const told = page.getByText('is ready, with these remarks');
    await told.waitFor();
    expect(await page.locator('.told').textContent()).toMatch(/light/i);
    expect(await page.locator('.told').textContent()).toMatch(/camera/i);
    await page.getByRole('button', { name: /^Open / }).click();
    await settled(page);
  });

  it('dropped on another screen is brought in as well, instead of leaving the application', async () => {
    await openShot(page, 'thin-wall');
    await settled(page);
    const transfer = await page.evaluateHandle(
      (data) => {
        const t = new DataTransfer();
        t.items.add(new File([Uint8Array.from(data)], 'pier.glb'));
        return t;
      },
      [...(await smallGlb())],
    );
    await page.getByTestId('picture').dispatchEvent('drop', { dataTransfer: transfer });
    await page.getByRole('heading', { name: 'pier' }).waitFor();
  });

  it('that is broken is refused in one line, and nothing else happens', async () => {
    await page.goto('/projects');
    await page.getByRole('heading', { name: 'Marrow Skerry Light' }).waitFor();
    const cards = await page.locator('article').count();
    await drop('notes.txt', new TextEncoder().encode('hello'));
    await page.getByRole('alert').getByText('notes.txt: only .glb files').waitFor();
    expect(await page.locator('article').count()).toBe(cards);
  });
});

describe('projects', () => {
  it('are renamed and deleted with a way back', async () => {
    await page.goto('/projects');
    const card = page.locator('article', { has: page.getByRole('heading', { name: 'bare' }) });
    await card.getByRole('button', { name: 'Rename' }).click();
    await page.getByRole('textbox', { name: 'Project name' }).fill('Bare plate');
    await page.keyboard.press('Enter');
    const renamed = page.locator('article', { has: page.getByRole('heading', { name: 'Bare plate' }) });
    await renamed.getByRole('button', { name: 'Delete' }).click();
    await renamed.waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'Undo' }).click();
    await renamed.waitFor();
  });

  it('take room on disk, which is told by kind, and what was deleted is let go of when that is asked for', async () => {
    await page.goto('/projects');
    const card = page.locator('article', { has: page.getByRole('heading', { name: 'Bare plate' }) });
    await card.getByRole('button', { name: 'Delete' }).click();
    await card.waitFor({ state: 'detached' });
    await page.getByRole('button', { name: 'On disk…' }).click();
    const sheet = page.getByRole('dialog', { name: 'On disk' });
    await sheet.getByRole('row', { name: /^Scenes .* MB$/ }).waitFor();
    await sheet.getByRole('row', { name: /^Deleted can be brought back for seven days/ }).waitFor();
    await checkAccess(page);
    await sheet.getByRole('button', { name: /^Free / }).click();
    await sheet.getByRole('button', { name: 'Nothing to free' }).waitFor();
    expect(await sheet.getByRole('row', { name: /^Deleted/ }).count()).toBe(0);
    await sheet.getByRole('button', { name: 'Close' }).click();
    await sheet.waitFor({ state: 'detached' });
  });

  it('that do not exist are said not to', async () => {
    await page.goto('/shots/00000000-0000-4000-8000-000000000000/tune');
    await page.getByText('This shot is not here').waitFor();
    await page.goto('/nowhere');
    await page.getByText('There is nothing at this address').waitFor();
  });
});

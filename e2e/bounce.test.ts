/** Methods of bounced light on Tune: chosen, baked, looked at and priced. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { checkAccess, launch, openSmall, openTab, pictureHash, settled, takeRecipeBack, type Tab } from './browser';

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

describe('bounced light', () => {
  it('by probes is baked while one waits, says what it came to, and is looked at as balls', async () => {
    await page.goto('/');
    await settled(page);
    const before = await pictureHash(page);
    await page.locator('[data-stage=bounce]').click();
    const method = page.getByRole('combobox', { name: 'Method, draft' });
    await method.selectOption('probes');
    await settled(page);
    // so many that no other has baked them for the server to keep
    await page.getByRole('textbox', { name: 'Probe rays, draft', exact: true }).fill('1000');
    await page.keyboard.press('Enter');
    await page
      .getByRole('status')
      .filter({ hasText: /baking probes, \d+ %/ })
      .waitFor();
    await settled(page);
    const baked = await pictureHash(page);
    expect(baked).not.toBe(before);
    // what belongs to the method comes with it
    await page.getByRole('button', { name: /^Probe spacing/ }).click();
    const note = page.getByRole('region', { name: 'About Probe spacing' });
    expect(await note.textContent()).toMatch(/[\d,]+ probes, 0\.\d+ m apart, (baked in [\d.]+ s|kept from before)/);
    expect(await page.locator('[data-stage=bounce]').textContent()).toMatch(/Bounce\s*\d+ ms/);
    await page.getByRole('combobox', { name: 'View' }).selectOption('probes');
    await settled(page);
    await page.getByText('probes as balls').waitFor();
    await checkAccess(page);
    expect(await pictureHash(page)).not.toBe(baked);
    await page.getByRole('combobox', { name: 'View' }).selectOption('picture');
    await settled(page);
    // nothing is baked twice, and the picture is the same to the bit
    expect(await pictureHash(page)).toBe(baked);
    await page.getByRole('button', { name: /^Probe spacing/ }).click();
    expect(await note.textContent()).toContain('kept from before');
    // another page finds them on the server
    const sent = page.waitForResponse((r) => r.url().includes('/api/probes/') && r.request().method() === 'GET');
    await page.reload();
    await settled(page);
    expect((await sent).status()).toBe(200);
    await page.locator('[data-stage=bounce]').click();
    await page.getByRole('button', { name: /^Probe spacing/ }).click();
    expect(await note.textContent()).toContain('kept from before');
    expect(await pictureHash(page)).toBe(baked);
    await takeRecipeBack(page);
  });

  it('by rays through the picture has views of its own, its price in the ribbon, and more to go by with overscan', async () => {
    await page.goto('/');
    await settled(page);
    const before = await pictureHash(page);
    await page.locator('[data-stage=bounce]').click();
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('screen');
    await page.getByRole('combobox', { name: 'What rays miss, draft' }).selectOption('environment');
    await settled(page);
    const screen = await pictureHash(page);
    expect(screen).not.toBe(before);
    expect(await page.locator('[data-stage=bounce]').textContent()).toMatch(/Bounce\s*\d+ ms/);
    // what belongs to other methods is not among what matters, nor is ambient occlusion
    expect(await page.getByText('Bounce rays').count()).toBe(1);
    expect(await page.getByRole('button', { name: /^Ambient occlusion/ }).count()).toBe(0);
    const view = page.getByRole('combobox', { name: 'View' });
    await view.selectOption('rays');
    await settled(page);
    await page.getByText('left the frame').waitFor();
    await checkAccess(page);
    await view.selectOption('bounce');
    await settled(page);
    await view.selectOption('picture');
    await settled(page);
    expect(await pictureHash(page)).toBe(screen);
    await page.locator('[data-stage=output]').click();
    await page.getByRole('textbox', { name: 'Overscan, draft', exact: true }).fill('12');
    await page.keyboard.press('Enter');
    await expect.poll(() => pictureHash(page), { timeout: 20_000 }).not.toBe(screen);
    await takeRecipeBack(page);
  });

  it('by voxels is made within a frame, looked at as voxels, and its box is placed by hand on the picture', async () => {
    await page.goto('/');
    await settled(page);
    const before = await pictureHash(page);
    await page.locator('[data-stage=bounce]').click();
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('voxels');
    await settled(page);
    const fitted = await pictureHash(page);
    expect(fitted).not.toBe(before);
    expect(await page.locator('[data-stage=bounce]').textContent()).toMatch(/Bounce\s*[\d.,]+ m?s/);
    await page.getByRole('button', { name: /^Voxel resolution/ }).click();
    const note = page.getByRole('region', { name: 'About Voxel resolution' });
    expect(await note.textContent()).toMatch(/voxels of [\d.]+ cm, [\d,]+ faces/);
    const view = page.getByRole('combobox', { name: 'View' });
    await view.selectOption('voxels');
    await settled(page);
    await page.getByText('the voxels themselves').waitFor();
    await view.selectOption('voxelSize');
    await settled(page);
    await page.getByText('64 or more').waitFor();
    await view.selectOption('leaks');
    await settled(page);
    await page.getByText('16 times or more').waitFor();
    await view.selectOption('answered');
    await settled(page);
    await page.getByText('which method knew').waitFor();
    await checkAccess(page);
    await view.selectOption('picture');
    await settled(page);
    expect(await pictureHash(page)).toBe(fitted);
    // a box that fits has no handles
    expect(await page.locator('[data-handle]').count()).toBe(0);
    await page.getByRole('combobox', { name: 'Voxel box, draft' }).selectOption('placed');
    const size = page.getByRole('textbox', { name: 'Voxel box size, draft', exact: true });
    await size.fill('3');
    await page.keyboard.press('Enter');
    await settled(page);
    // most of the room lies outside of a small box, and that is said
    await page.getByText(/\d+ % of what asks for bounced light lies outside the box of voxels/).waitFor();
    const height = page.getByRole('textbox', { name: 'Voxel box y, draft', exact: true });
    expect(await height.inputValue()).toBe('0');
    const middle = (await page.locator('[data-handle=position]').boundingBox())!;
    await page.mouse.move(middle.x + middle.width / 2, middle.y + middle.height / 2);
    await page.mouse.down();
    await page.mouse.move(middle.x, middle.y - 150, { steps: 4 });
    await page.mouse.up();
    expect(Number(await height.inputValue())).toBeGreaterThan(0.5);
    // by keyboard as well, and each in one step of undo
    await page.locator('[data-handle=size]').focus();
    await page.keyboard.press('Shift+ArrowUp');
    await expect.poll(() => size.inputValue()).not.toBe('3');
    await page.getByRole('button', { name: 'Undo' }).click();
    await expect.poll(() => size.inputValue()).toBe('3');
    await settled(page);
    await checkAccess(page);
    await takeRecipeBack(page);
  });

  it('that is missing beside the reference is said per patch on Compare, with what cures it, tried and priced', async () => {
    await openSmall(page, 'coloured-box', 'Compare', { 'lens.exposure': -8.5, 'bounce.method': 'environment' });
    await page.getByRole('button', { name: 'Add a picture…' }).click();
    await page.getByRole('menuitem', { name: 'Draft, path traced', exact: true }).click();
    await page.getByLabel('C is the reference').check();
    const find = page.getByRole('button', { name: 'cure… bounced light of A, tall plinth' });
    await find.waitFor();
    // nothing around the box shines: without bounced light there is none
    const figures = page.getByRole('region', { name: 'Figures against the reference' });
    await figures.getByRole('button', { name: 'tall plinth' }).first().click();
    await figures.getByText('No bounced light at all, where the reference has some.').first().waitFor();
    await find.click();
    const cures = page.getByRole('region', { name: 'Cures of bounced light' });
    const trying = cures.getByRole('status').filter({ hasText: /Trying \d+ of \d+/ });
    await trying.waitFor();
    await cures.getByRole('button', { name: 'Cancel' }).click();
    await expect.poll(() => trying.count(), { timeout: 20_000 }).toBe(0);
    await find.click();
    await page
      .getByTestId('bounce-verdict')
      .filter({ hasText: /Marked: Method \w+/ })
      .waitFor({ timeout: 90_000 });
    await checkAccess(page);
    const marked = cures.locator('tr.best');
    expect(await marked.textContent()).toMatch(/Method (voxels|probes|screen|traced)/);
    await marked.getByRole('button', { name: /^Use Method/ }).click();
    // drawn again, and right; Final has it not
    await page.waitForFunction(() => !document.body.textContent?.includes('measuring…'));
    const missing = (letter: string) => figures.getByText(new RegExp(`^${letter}\\s.*No bounced light at all`)).count();
    await expect.poll(() => missing('A'), { timeout: 30_000 }).toBe(0);
    await expect.poll(() => missing('B'), { timeout: 30_000 }).toBe(1);
    await takeRecipeBack(page);
  });

  it('is mirrored by rays when asked, with a price of its own in the ribbon', async () => {
    await openSmall(page, 'coloured-box', 'Tune', { 'lens.exposure': -8.5 });
    await settled(page);
    const before = await pictureHash(page);
    await page.locator('[data-stage=reflections]').click();
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('traced');
    await settled(page);
    expect(await pictureHash(page)).not.toBe(before);
    expect(await page.locator('[data-stage=reflections]').textContent()).toMatch(/Reflections\s*[\d.,]+ m?s/);
    await page.getByRole('button', { name: /^Roughest mirror/ }).click();
    await page.getByText('they mirror the mean of the bounced light').waitFor();
    await checkAccess(page);
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('environment');
    await settled(page);
    await expect.poll(() => pictureHash(page), { timeout: 20_000 }).toBe(before);
    await takeRecipeBack(page);
  });

  it('that asks for too many probes says so and what to do, and is right again when that is taken back', async () => {
    await page.goto('/');
    await settled(page);
    const before = await pictureHash(page);
    await page.locator('[data-stage=bounce]').click();
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('probes');
    await page.getByRole('textbox', { name: 'Probe spacing, draft', exact: true }).fill('0.01');
    await page.keyboard.press('Enter');
    await page.getByText(/asks for [\d,]+ probes, and 100,000 are the most\. Raise bounce\.probeSpacing/).waitFor();
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('environment');
    await expect.poll(() => pictureHash(page), { timeout: 20_000 }).toBe(before);
    await takeRecipeBack(page);
  });
});

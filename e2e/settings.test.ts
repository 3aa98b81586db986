/** The column of settings on Tune, and how settings are found. */
import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { checkAccess, launch, openShot, openTab, pictureHash, settled, takeRecipeBack, type Tab } from './browser';

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

const field = (name: string) => page.getByRole('textbox', { name, exact: true });
const stage = (id: string) => page.locator(`[data-stage=${id}]`);

describe('the column of settings', () => {
  const rows = () => page.locator('[data-setting]');

  it('shows at least twelve, each on one line, and of the chosen one what it does, in one place', async () => {
    await page.goto('/');
    await settled(page);
    await stage('shadows').click();
    const visible = await page.$$eval('[data-setting]', (all) => {
      const bottom = all[0].parentElement!.getBoundingClientRect().bottom;
      return all.map((row) => row.getBoundingClientRect()).filter((box) => box.bottom <= bottom && box.height < 32);
    });
    expect(visible.length).toBeGreaterThanOrEqual(12);
    const list = await rows().first().boundingBox();
    await field('Sun distance, final').focus();
    const note = page.getByRole('region', { name: 'About Sun distance' });
    expect(await note.textContent()).toMatch(/0.5 to 2000 m.*Look for:\s*Far shadows.*Draft:\s*set here/s);
    // choosing another does not move the list
    await page.getByRole('button', { name: /^Cascades/ }).click();
    await page.getByRole('region', { name: 'About Cascades' }).waitFor();
    expect(await rows().first().boundingBox()).toEqual(list);
    await checkAccess(page);
  });

  it('tells what is changed, what matters here, and all', async () => {
    await page.goto('/');
    await settled(page);
    await stage('lens').click();
    await page.getByRole('radio', { name: /^Changed/ }).click();
    expect(await rows().evaluateAll((all) => all.map((row) => (row as HTMLElement).dataset.setting))).toEqual([
      'lens.exposure',
      'lens.bloom',
    ]);
    await stage('geometry').click();
    await page.getByText('Nothing is changed here').waitFor();
    // what was chosen holds after a reload
    await page.reload();
    await settled(page);
    expect(await page.getByRole('radio', { name: /^Changed/ }).getAttribute('aria-checked')).toBe('true');
    await stage('geometry').click();
    await page.getByRole('radio', { name: /^All/ }).click();
    await page.getByRole('button', { name: /^Draw distance, foliage/ }).click();
    await page.getByRole('region', { name: 'About Draw distance, foliage' }).waitFor();
    await page.getByRole('radio', { name: /^What matters here/ }).click();
  });

  it('is gone to from any screen by the list of commands, also to what changes nothing now', async () => {
    await page.goto('/projects');
    await page.getByText('lamp-room').first().waitFor();
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox', { name: 'Search commands' }).fill('ghosts stay');
    await page.getByRole('option', { name: /History clipping.*Setting of Samples/ }).waitFor();
    await page.keyboard.press('Enter');
    await settled(page);
    const found = field('History clipping, draft');
    await expect.poll(() => found.evaluate((e) => e === document.activeElement)).toBe(true);
    await page.getByText('Changes nothing now, beside the other settings').waitFor();
    // once more, from here, to another stage
    await page.keyboard.press('Control+k');
    await page.getByRole('combobox', { name: 'Search commands' }).fill('bloom');
    await page.keyboard.press('Enter');
    await expect.poll(() => field('Bloom, draft').evaluate((e) => e === document.activeElement)).toBe(true);
    expect(page.url()).not.toContain('setting=');
    expect(await field('History clipping, draft').count()).toBe(0);
  });
});

describe('bounced light', () => {
  it('is traced at a choice, shows its own time and memory, and opens the settings of its rays', async () => {
    await openShot(page, 'grazing-plane');
    await settled(page, 4);
    const before = await pictureHash(page);
    await stage('bounce').click();
    expect(await stage('bounce').textContent()).toContain('in Samples');
    expect(await field('Bounces, draft').count()).toBe(0);
    await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('traced');
    await field('Bounces, draft').waitFor();
    await field('Bounce rays, draft').waitFor();
    await expect.poll(() => pictureHash(page), { timeout: 45_000 }).not.toBe(before);
    await settled(page, 4);
    await expect.poll(() => stage('bounce').textContent(), { timeout: 45_000 }).toMatch(/Bounce\s*[\d.,]+ m?s/);
    await takeRecipeBack(page);
  });
});

import type { Browser, Page } from 'playwright-core';
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import { checkAccess, launch, openSmall, openTab, pictureHash, takeRecipeBack, type Tab } from './browser';

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
const button = (name: string) => page.getByRole('button', { name, exact: true });
const number = (text: RegExp) => page.locator('.number', { hasText: text }).waitFor();
const shown = () => pictureHash(page, '[data-testid=run-picture] canvas');

describe('Motion', () => {
  it('renders frames, plays and steps through them, and reports what flickers', async () => {
    await openSmall(page, 'band-combs', 'Motion');
    await page.waitForURL(/\/motion$/);
    await page.getByText('Render a second of frames').waitFor();
    await field('Last frame').fill('2');
    await field('Last frame').press('Enter');
    await page.getByText('Flicker needs at least 5 frames.').waitFor();
    expect(await button('Render frames').isDisabled()).toBe(true);
    await field('Last frame').fill('6');
    await field('Last frame').press('Enter');
    await button('Render frames').click();
    await page.getByRole('region', { name: 'What flickers' }).waitFor();
    const index = Number(await page.getByTestId('index').innerText());
    expect(index).toBeGreaterThanOrEqual(0);
    await page.getByText('frames 0–6, done').waitFor();

    await page.keyboard.press('Home');
    await number(/^frame 0/);
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowRight');
    await number(/^frame 2, flicker/);
    const still = await shown();
    await page.keyboard.press(' ');
    await button('Stop').waitFor();
    await page.waitForFunction(() => !/frame 2/.test(document.querySelector('.number')?.textContent ?? ''));
    await page.keyboard.press(' ');
    await page.keyboard.press('Home');
    await page.keyboard.press('ArrowRight');
    await page.keyboard.press('ArrowRight');
    expect(await shown()).toBe(still);
    await page.keyboard.press('m');
    await page.getByRole('img', { name: 'Map of visible flicker' }).waitFor();
    await page.getByRole('img', { name: /^Flicker by frame/ }).waitFor();
    await checkAccess(page);

    // a second run stands beside the first
    await button('Render frames').click();
    await page.getByText('the run before').first().waitFor();
    await page.getByText('The second column is the run before.').waitFor();
    expect(await page.getByTestId('index').innerText()).toBe(index.toFixed(2));
    await page.keyboard.press('b');
    await page.waitForFunction(() => document.querySelectorAll('.entry.chosen').length === 1);
    await takeRecipeBack(page);
  });

  it('can be cancelled, keeps what there is, and starts again', async () => {
    await openSmall(page, 'band-combs', 'Motion', { 'samples.pixel': 64, 'output.width': 320, 'output.height': 192 });
    await button('Render frames').click();
    await page.getByText(/^[1-9] of \d+ frames/).waitFor();
    await button('Cancel').click();
    await button('Render frames').waitFor();
    await page.getByText(/cancelled/).waitFor();
    await number(/^frame \d/);
    await takeRecipeBack(page);
  });
});

/** A page of headless Chromium that fails its test on any console error or request that leaves the machine. */
import { readFileSync } from 'node:fs';
import { createRequire } from 'node:module';
import { chromium, type Browser, type Page } from 'playwright-core';
import { expect, inject } from 'vitest';

const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
const AXE = readFileSync(createRequire(import.meta.url).resolve('axe-core/axe.min.js'), 'utf8');

export async function launch(): Promise<Browser> {
  return chromium.launch({ executablePath: process.env.DAXEL_CHROMIUM ?? '/usr/bin/chromium', args: FLAGS });
}

export interface Tab {
  page: Page;
  /** Throws when the page complained. */
  checkQuiet(): void;
}

export async function openTab(browser: Browser): Promise<Tab> {
  const url = inject('url');
  const context = await browser.newContext({
    viewport: { width: 1280, height: 800 },
    baseURL: url,
    acceptDownloads: true,
  });
  const page = await context.newPage();
  page.setDefaultTimeout(45_000);
  const complaints: string[] = [];
  page.on('pageerror', (error) => complaints.push(error.message));
  page.on('console', (message) => {
    // the tests read pixels back, the application does not
    if (message.text().startsWith('Canvas2D: Multiple readback')) return;
    if (message.type() === 'error' || message.type() === 'warning') complaints.push(message.text());
  });
  page.on('request', (request) => {
    if (!/^(data|blob):/.test(request.url()) && !request.url().startsWith(url))
      complaints.push(`left the machine: ${request.url()}`);
  });
  return { page, checkQuiet: () => expect(complaints).toEqual([]) };
}

/** Waits until the full picture stands; optionally until it was drawn with so many samples. */
export async function settled(page: Page, samples?: number): Promise<void> {
  const wanted = samples === undefined ? '' : `[data-samples="${samples}"]`;
  await page.waitForSelector(`[data-testid=picture] canvas[data-coarse=false]${wanted}`);
  await page.waitForFunction(() => !document.body.textContent?.includes('drawing…'));
}

/** Opens a shot by its name from the projects page. */
export async function openShot(page: Page, name: string): Promise<void> {
  await page.goto('/projects');
  await page
    .getByRole('link', { name: `Open ${name}` })
    .first()
    .click();
}

/** The pixels of the shown picture as one number, to tell pictures apart. */
export function pictureHash(page: Page, selector = '[data-testid=picture] canvas'): Promise<number> {
  return page.$eval(selector, (element) => {
    const canvas = element as HTMLCanvasElement;
    const { data } = canvas.getContext('2d')!.getImageData(0, 0, canvas.width, canvas.height);
    let hash = 0;
    for (const value of data) hash = (Math.imul(hash, 31) + value) | 0;
    return hash;
  });
}

/** Automated accessibility check of the whole page. */
export async function checkAccess(page: Page): Promise<void> {
  await page.evaluate(`${AXE}; 0`);
  const violations = await page.evaluate(async () => {
    const axe = (
      window as unknown as { axe: { run: () => Promise<{ violations: { id: string; nodes: { html: string }[] }[] }> } }
    ).axe;
    const result = await axe.run();
    return result.violations.map((v) => `${v.id}: ${v.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`);
  });
  expect(violations).toEqual([]);
}

/** Longest time the main thread was busy at a stretch while `run` went on, milliseconds. */
export async function longestBlock(page: Page, run: () => Promise<void>): Promise<number> {
  await page.evaluate(() => {
    const w = window as unknown as { blocks: number[]; watching: PerformanceObserver };
    w.blocks = [];
    w.watching = new PerformanceObserver((list) => w.blocks.push(...list.getEntries().map((e) => e.duration)));
    w.watching.observe({ entryTypes: ['longtask'] });
  });
  await run();
  return page.evaluate(() => {
    const w = window as unknown as { blocks: number[]; watching: PerformanceObserver };
    w.watching.disconnect();
    return Math.max(0, ...w.blocks);
  });
}

/** Opens a screen of a shot with a small Draft tier. */
export async function openSmall(
  page: Page,
  shot: string,
  screen: string,
  more: Record<string, number | string> = {},
): Promise<void> {
  await openShot(page, shot);
  await settled(page);
  const values = { 'samples.pixel': 2, 'output.width': 160, 'output.height': 96, ...more };
  const recipe = { format: 'daxel-recipe', version: 1, name: 'small', draft: values, final: values };
  const buffer = Buffer.from(JSON.stringify(recipe));
  await page.getByLabel('Recipe file').setInputFiles({ name: 'r.json', mimeType: 'application/json', buffer });
  await page.getByRole('button', { name: 'Recipe small' }).waitFor();
  await page.getByText('Saved', { exact: true }).waitFor();
  await page.getByRole('link', { name: screen, exact: true }).click();
}

/** Puts the shot's own recipe back: all tests work on one server. */
export async function takeRecipeBack(page: Page): Promise<void> {
  await page.getByRole('link', { name: 'Tune', exact: true }).first().click();
  const undo = page.getByRole('button', { name: 'Undo', exact: true }).last();
  await undo.waitFor();
  while (await undo.isEnabled()) await undo.click();
  await page.getByText('Saved', { exact: true }).waitFor();
}

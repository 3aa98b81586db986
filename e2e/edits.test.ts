import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest';
import * as schema from '@daxel/api/schemas';
import { newLight } from '@daxel/core/light/rig';
import { z } from 'zod';
import { launch, openShot, openTab, settled } from './browser';

let browser: Browser;
let page: Page;
beforeAll(async () => {
  browser = await launch();
});
afterAll(() => browser.close());
beforeEach(async () => {
  ({ page } = await openTab(browser));
  return () => page.context().close();
});

const field = (on: Page, name: string) => on.getByRole('textbox', { name, exact: true });
async function setSamples(on: Page, value: number): Promise<void> {
  await on.locator('[data-stage=samples]').click();
  await field(on, 'Pixel samples, draft').fill(String(value));
  await on.keyboard.press('Enter');
}
/** What the server has of the open shot. */
async function kept(on: Page): Promise<schema.Shot> {
  const id = /shots\/([0-9a-f-]+)/.exec(on.url())![1];
  const projects = z.array(schema.project).parse(await (await on.request.get('/api/projects')).json());
  return projects.flatMap((p) => p.shots).find((s) => s.id === id)!;
}
const samples = async (on: Page): Promise<unknown> => (await kept(on)).recipe.draft['samples.pixel'];
const saved = (on: Page) => on.getByText('Saved', { exact: true }).waitFor();

describe('edits', () => {
  it('of more than a browser keeps alive are saved', async () => {
    await openShot(page, 'penumbra-scale');
    await settled(page);
    const before = await kept(page);
    const { id } = before;
    // two hundred lights, as a frozen scene of lamps has them
    const lights = Array.from({ length: 200 }, (_, i) => ({
      ...newLight('point', `l${i}`, `lamp number ${i}`),
      castsShadow: false,
    }));
    const environment = {
      kind: 'constant',
      stops: [{ y: 0, radiance: [0.1, 0.1, 0.1] }],
      rotationDeg: 0,
      strength: 1,
      seenByCamera: true,
      lightsSurfaces: true,
      seenInReflections: true,
    };
    const rig = { id: 'many', name: 'many', exposureEv: 0, lights, environment };
    const added = await page.request.patch(`/api/shots/${id}`, {
      data: { version: before.version, rigs: [rig], rigId: rig.id },
    });
    expect(await added.text()).toContain('lamp number 199');
    await page.reload();
    await settled(page);
    await page.getByRole('link', { name: 'Light', exact: true }).click();
    await settled(page);
    const sent = page.waitForRequest((r) => r.method() === 'PATCH' && r.url().includes(id));
    await page.keyboard.press('n');
    await page.keyboard.press('o');
    expect((await sent).postData()!.length).toBeGreaterThan(65_536);
    await saved(page);
    expect((await kept(page)).rigs?.[0].lights.some((l) => l.on === false)).toBe(true);
    const after = await kept(page);
    await page.request.patch(`/api/shots/${id}`, { data: { version: after.version, rigs: [], rigId: null } });
  });

  it('made a moment before a reload, or while the server is away and another shot is opened, are kept', async () => {
    await openShot(page, 'fine-lines');
    await settled(page);
    const first = await samples(page);
    await setSamples(page, 3);
    await page.reload();
    await settled(page);
    await expect.poll(() => samples(page)).toBe(3);
    // undone over the reload
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect.poll(() => samples(page)).toBe(first);
    await page.context().route('**/api/shots/*', (route) => route.abort());
    await setSamples(page, 5);
    await page.getByText('Not saved yet').first().waitFor();
    await page.getByRole('link', { name: 'Daxel, all projects' }).click();
    await page.getByRole('link', { name: 'Open penumbra-scale' }).first().click();
    await settled(page);
    await page.getByText('1 other shot not saved yet').waitFor();
    await page.context().unroute('**/api/shots/*');
    await page.getByRole('link', { name: 'Daxel, all projects' }).click();
    await page.getByRole('link', { name: 'Open fine-lines' }).first().click();
    await settled(page);
    expect(await field(page, 'Pixel samples, draft').inputValue()).toBe('5');
    await expect.poll(() => samples(page)).toBe(5);
    await page.getByRole('button', { name: 'Undo', exact: true }).click();
    await expect.poll(() => samples(page)).toBe(first);
  });

  it('of two tabs are both kept, and asked about where they are of one value', async () => {
    await openShot(page, 'fine-lines');
    await settled(page);
    const first = await kept(page);
    const other = await page.context().newPage();
    await other.goto(page.url());
    await settled(other);
    await setSamples(page, 6);
    await saved(page);
    // its page knows nothing of that yet
    await other.locator('[data-stage=lens]').click();
    await field(other, 'Exposure, draft').fill('-7.5');
    await other.keyboard.press('Enter');
    await expect.poll(async () => (await kept(other)).recipe.draft['lens.exposure']).toBe(-7.5);
    expect(await samples(other)).toBe(6);
    await setSamples(page, 7);
    await expect.poll(() => samples(page)).toBe(7);
    await setSamples(other, 9);
    const dialog = other.getByRole('dialog', { name: 'Changed here and elsewhere' });
    await dialog.waitFor();
    expect(await dialog.textContent()).toMatch(/Pixel samples, draft.*9.*7/);
    await dialog.getByRole('button', { name: 'Take what is elsewhere' }).click();
    await dialog.waitFor({ state: 'hidden' });
    await settled(other);
    expect(await field(other, 'Pixel samples, draft').inputValue()).toBe('7');
    const now = await kept(page);
    await page.request.patch(`/api/shots/${now.id}`, { data: { version: now.version, recipe: first.recipe } });
  });
});

describe('many tabs of one browser', () => {
  it('share one stream: each loads, and hears of what another changes', async () => {
    const tabs = [page];
    while (tabs.length < 9) tabs.push(await page.context().newPage());
    for (const tab of tabs) {
      await tab.goto('/projects');
      await tab.getByRole('link', { name: 'Open fine-lines' }).first().waitFor({ timeout: 20_000 });
    }
    const projects = z.array(schema.project).parse(await (await page.request.get('/api/projects')).json());
    const [{ id, name }] = projects;
    await page.request.patch(`/api/projects/${id}`, { data: { name: 'Renamed by a tab' } });
    for (const tab of tabs) await tab.getByText('Renamed by a tab').first().waitFor();
    await page.request.patch(`/api/projects/${id}`, { data: { name } });
  });
});

/** Makes docs/screenshots anew from the demo data: node tools/screenshots.mjs, after a build. */
import { spawn } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from 'playwright-core';

const root = join(import.meta.dirname, '..');
const data = mkdtempSync(join(tmpdir(), 'daxel-shots-'));
const server = spawn(process.execPath, [join(root, 'build/server/cli.js'), 'demo', '--port', '0', '--data', data], {
  stdio: ['ignore', 'pipe', 'inherit'],
});
const url = await new Promise((resolve) => {
  server.stdout.on('data', (chunk) => {
    const found = /ready at (\S+)/.exec(String(chunk));
    if (found) resolve(found[1]);
  });
});
const browser = await chromium.launch({
  executablePath: process.env.DAXEL_CHROMIUM ?? '/usr/bin/chromium',
  args: [
    '--headless',
    '--no-sandbox',
    '--disable-gpu',
    '--disable-quic',
    '--no-first-run',
    '--disable-background-networking',
  ],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
page.setDefaultTimeout(120_000);
const keep = (name) => page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
const settled = async () => {
  await page.waitForTimeout(300);
  await page.waitForSelector('[data-testid=picture] canvas[data-coarse=false]');
  await page.waitForFunction(() => !document.body.textContent?.includes('drawing…'));
  await page.waitForTimeout(200);
};

await page.goto(url);
await settled();
await keep('tune');
await page.keyboard.press('Control+k');
await page.waitForTimeout(200);
await keep('commands');
await page.keyboard.press('Escape');
await page.waitForTimeout(500);
await page.locator('[data-stage=bounce]').click();
await page.getByRole('combobox', { name: 'Method, draft' }).selectOption('voxels');
await page.getByRole('button', { name: /^Voxel resolution/ }).click();
await settled();
await page.getByLabel('View').selectOption('voxels');
await settled();
await keep('tune-voxels');
await page.getByLabel('View').selectOption('picture');
await page.getByRole('button', { name: 'Undo', exact: true }).last().click();
await settled();
await page.keyboard.press('r');
await page.getByRole('button', { name: 'Watch it' }).click();
await page.locator('[data-file=png8]').waitFor({ timeout: 600_000 });
await page.locator('canvas.draft').waitFor();
await page.waitForTimeout(5000);
await keep('output');
await page.getByRole('link', { name: 'Daxel, all projects' }).click();
await page.waitForTimeout(800);
await keep('projects');
await page.getByRole('link', { name: 'Open grazing-plane' }).click();
await page.locator('[data-stage=shadows]').click();
await settled();
for (const name of ['Slope bias, draft', 'Normal offset, draft']) {
  if (name.startsWith('Slope')) await page.getByRole('switch', { name: 'Automatic bias, draft' }).click();
  await page.getByRole('textbox', { name, exact: true }).fill('0');
  await page.keyboard.press('Enter');
}
await page.getByLabel('View').selectOption('faults');
await settled();
await keep('shadow-faults');
await page.goto(`${url}projects`);
await page.getByRole('link', { name: 'Open penumbra-scale' }).click();
await settled();
await page.locator('[data-stage=shadows]').click();
await page.getByRole('textbox', { name: 'Light samples, draft', exact: true }).fill('8');
await page.keyboard.press('Enter');
await settled();
await page.getByRole('tab', { name: 'Shadow edges' }).click();
await page.getByRole('button', { name: 'Find the cure for cube that floats' }).click();
await page.getByTestId('cures').waitFor();
await keep('chart-penumbra-scale');
await page.goto(`${url}projects`);
await page.getByRole('link', { name: 'Open day room' }).click();
await settled();
await page.getByRole('link', { name: 'Light', exact: true }).click();
await settled();
// six lightings, each with probes of its own
await page.waitForTimeout(25_000);
await keep('light');
await page.goto(`${url}projects`);
await page.getByRole('link', { name: 'Open lamp-room' }).click();
await page.getByRole('link', { name: 'Light', exact: true }).click();
await settled();
await page.getByRole('button', { name: 'Show rig Overcast, work light' }).click();
await settled();
await page.getByRole('button', { name: 'work light', exact: true }).click();
await page.waitForTimeout(6000);
await page.getByRole('tab', { name: 'Exposure' }).click();
await page.getByRole('button', { name: 'Zebra' }).click();
await page.getByLabel('Blend with').selectOption({ label: 'As it came' });
await page.getByText('drawing both…').waitFor();
await page.getByText('drawing both…').waitFor({ state: 'detached' });
await keep('light-blend');
await page.goto(url);
await settled();
await page.goto(`${url}projects`);
await page.getByRole('link', { name: 'Open day room' }).click();
await settled();
await page.keyboard.press('d');
await page.locator('[data-stage=reflections]').click();
await settled();
await keep('tune-reflections');
await page.keyboard.press('d');

const toShot = async (name) => {
  await page.goto(`${url}projects`);
  await page.getByRole('link', { name: `Open ${name}` }).click();
  await settled();
};
await toShot('lamp-room');
await page.getByRole('link', { name: 'Motion', exact: true }).click();
await page.getByRole('button', { name: 'Render frames' }).click();
await page.getByRole('region', { name: 'What flickers' }).waitFor({ timeout: 600_000 });
await page.locator('.worst button').first().click();
await page.waitForTimeout(500);
await keep('motion');
await toShot('moving-glint');
await page.getByRole('link', { name: 'Motion', exact: true }).click();
await page.getByRole('textbox', { name: 'Last frame', exact: true }).fill('13');
await page.keyboard.press('Enter');
await page.getByRole('button', { name: 'Render frames' }).click();
await page.getByRole('button', { name: 'Find the cause' }).click({ timeout: 600_000 });
await page.getByRole('button', { name: 'Search at the marked place' }).waitFor({ timeout: 600_000 });
await keep('motion-cause');
await toShot('stairwell');
await page.locator('[data-stage=bounce]').click();
await settled();
await keep('tune-stairwell');
await toShot('gallery');
await settled();

await page.getByRole('link', { name: 'Output', exact: true }).click();
await page.getByRole('button', { name: 'Render frames…' }).click();
await page.getByRole('radio', { name: 'Draft' }).check();
await page.getByRole('textbox', { name: 'Last frame', exact: true }).fill('43');
await page.keyboard.press('Enter');
await page.getByRole('button', { name: 'Render out' }).click();
await page.getByRole('button', { name: 'frame 24: finished' }).click({ timeout: 600_000 });
await page.waitForTimeout(1500);
await keep('sequence');
await page.getByRole('button', { name: 'Cancel', exact: true }).click();
await toShot('sparks');
await page.getByRole('link', { name: 'Motion', exact: true }).click();
await page.getByRole('textbox', { name: 'Last frame', exact: true }).fill('11');
await page.keyboard.press('Enter');
await page.getByRole('button', { name: 'Try four takes' }).click();
await page.getByRole('button', { name: 'Four others' }).waitFor();
await page.getByRole('slider', { name: 'Frame' }).fill('9');
await page.waitForTimeout(500);
await keep('motion-takes');

await toShot('fine-lines');
await page.getByRole('link', { name: 'Wedges', exact: true }).click();
await page.getByRole('button', { name: /^Render scale × samples/ }).click();
await page.getByRole('button', { name: 'Render the wedge' }).click();
await page.getByText('9 of 9 steps').waitFor();
await page.waitForTimeout(800);
await keep('wedges');
const useRecipe = async (name, values) => {
  const text = JSON.stringify({ format: 'daxel-recipe', version: 1, name, draft: values, final: values });
  const buffer = Buffer.from(text);
  await page.getByLabel('Recipe file').setInputFiles({ name: 'r.json', mimeType: 'application/json', buffer });
  await page.getByRole('button', { name: `Recipe ${name}` }).waitFor();
  await page.getByText('Saved', { exact: true }).waitFor();
};
await toShot('thin-wall');
await useRecipe('Small', { 'samples.pixel': 4, 'output.width': 384, 'output.height': 216, 'lens.exposure': -11.5 });
await page.getByRole('link', { name: 'Wedges', exact: true }).click();
await page.getByRole('button', { name: 'Run for draft' }).click();
await page.waitForFunction(() => /(\d+) of \1 steps/.test(document.body.textContent), null, { timeout: 600_000 });
await keep('sensitivity');

await toShot('lamp-room');
await useRecipe('Reference', {
  'samples.method': 'path',
  'samples.pixel': 16,
  'samples.denoise': 'spatial',
  'output.width': 480,
  'output.height': 270,
  'lens.exposure': -10,
});
page.setDefaultTimeout(600_000);
await settled();
await keep('tune-path');
const compared = new URL(page.url().replace('/tune', '/compare'));
compared.searchParams.set('with', 'live:draft:raster,live:draft:path');
compared.searchParams.set('ref', 'live:draft:path');
await page.goto(compared.href);
await page.getByText('lens rings').waitFor();
await page.waitForFunction(
  () => !document.body.textContent.includes('measuring…') && !document.body.textContent.includes('rendering,'),
);
await page.getByRole('button', { name: 'cure… bounced light of A, wall under the sill' }).click();
await page
  .getByTestId('bounce-verdict')
  .filter({ hasText: /Marked|Nothing/ })
  .waitFor();
await keep('compare');

await browser.close();
server.kill('SIGTERM');
await new Promise((r) => server.once('exit', r));
rmSync(data, { recursive: true, force: true });

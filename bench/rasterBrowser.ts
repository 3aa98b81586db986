/** The rasteriser in the browser against three's WebGL, and what an artist waits for, in headless Chromium without a graphics card. */
import { existsSync } from 'node:fs';
import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import type { AddressInfo } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import express from 'express';
import { writeGlb } from '@daxel/formats/gltf/writeGlb';
import { BUILD, ROOT } from '@daxel/server/entries';
import { serve } from '@daxel/server/serve';
import { median, row, type Bench, type BenchRow } from './rows';
import { openField } from './scenes';

const CHROMIUM = process.env.DAXEL_CHROMIUM ?? '/usr/bin/chromium';
const FLAGS = [
  '--headless',
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--enable-unsafe-swiftshader',
];
const SIZE = { width: 960, height: 540 };
const FRAMES = 14;
const WARM = 6;
/** Milliseconds: setting changed → first pixels → settled, at 640 × 360 draft; and the first load. */
const BARS = { first: 50, settled: 250, page: 1500 };

type PageBench = {
  ours: (path: string, size: object, frames: number, threads: number) => Promise<number[]>;
  threeWebGl: (path: string, size: object, frames: number) => Promise<number[]>;
};

async function withBrowser<T>(run: (browser: import('playwright-core').Browser) => Promise<T>): Promise<T | null> {
  if (!existsSync(CHROMIUM)) {
    process.stdout.write('raster/browser and interaction are skipped: Chromium is not installed.\n');
    return null;
  }
  const { chromium } = await import('playwright-core');
  const browser = await chromium.launch({ executablePath: CHROMIUM, args: FLAGS });
  try {
    return await run(browser);
  } finally {
    await browser.close();
  }
}

export const rasterBrowser: Bench = {
  name: 'raster/browser',
  async run() {
    const out = join(BUILD, 'bench-page');
    const { build } = await import('vite');
    await build({
      root: join(ROOT, 'bench', 'browser'),
      configFile: false,
      logLevel: 'error',
      worker: { format: 'es' },
      build: { outDir: out, emptyOutDir: true, target: 'es2022' },
    });
    const { kit, buffer } = openField();
    await mkdir(out, { recursive: true });
    await writeFile(join(out, 'scene.bin'), new Uint8Array(buffer));
    await writeFile(join(out, 'scene.glb'), await writeGlb(kit.scene));
    const app = express();
    app.use((_request, response, next) => {
      response.set({ 'Cross-Origin-Opener-Policy': 'same-origin', 'Cross-Origin-Embedder-Policy': 'require-corp' });
      next();
    });
    app.use(express.static(out));
    const server = app.listen(0, '127.0.0.1');
    await new Promise((r) => server.once('listening', r));
    const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}/`;
    const rows = await withBrowser(async (browser) => {
      const page = await browser.newPage();
      await page.goto(address);
      await page.waitForFunction(() => 'daxelBench' in window);
      const times = async (what: 'one' | 'two' | 'three'): Promise<number> => {
        const all = await page.evaluate(
          ([w, size, frames]) => {
            const bench = (window as unknown as { daxelBench: PageBench }).daxelBench;
            return w === 'three'
              ? bench.threeWebGl('scene.glb', size as object, frames as number)
              : bench.ours('scene.bin', size as object, frames as number, w === 'one' ? 1 : 2);
          },
          [what, SIZE, FRAMES] as const,
        );
        return median(all.slice(WARM));
      };
      const theirs = await times('three');
      const one = await times('one');
      const two = await times('two');
      return [
        row('raster/browser', 'open field 960×540, map redrawn, one thread', 'three WebGL', one, theirs, 'ms'),
        row('raster/browser', 'open field 960×540, map redrawn, two threads', 'three WebGL', two, theirs, 'ms'),
      ];
    });
    server.close();
    return rows ?? [];
  },
};

/** A page that notes when its first picture stood on the screen, milliseconds since 1970. */
interface PaintedPage {
  painted?: number;
}

/** Runs in the page before anything else. */
function notePainted(): void {
  const watch = new MutationObserver(() => {
    if (!document.querySelector('[data-testid=picture] canvas')) return;
    watch.disconnect();
    // the first frame comes before painting, the second after
    requestAnimationFrame(() =>
      requestAnimationFrame(() => {
        (window as unknown as PaintedPage).painted = Date.now();
      }),
    );
  });
  watch.observe(document, { subtree: true, childList: true });
}

export const interaction: Bench = {
  name: 'interaction',
  async run() {
    const dir = await mkdtemp(join(tmpdir(), 'daxel-bench-'));
    const server = await serve({ port: 0, host: '127.0.0.1', dataDir: dir, demo: true, uploadLimit: 2 ** 20 });
    const rows = await withBrowser(async (browser): Promise<BenchRow[]> => {
      const loads: number[] = [];
      for (let i = 0; i < 3; i++) {
        const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
        const fresh = await context.newPage();
        await fresh.addInitScript(notePainted);
        const start = Date.now();
        await fresh.goto(server.url);
        // told by the page itself: a driver that looks from outside notices up to a third of a second later
        const painted = await fresh.waitForFunction(() => (window as unknown as PaintedPage).painted);
        loads.push((await painted.jsonValue())! - start);
        await context.close();
      }
      const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
      await page.goto(server.url);
      await page.waitForSelector('canvas[data-coarse=false]');
      const sketch = {
        format: 'daxel-recipe',
        version: 1,
        name: 'bench',
        draft: {
          'output.width': 640,
          'output.height': 360,
          'samples.pixel': 1,
          'lens.exposure': -10,
          'shadows.distance': 9,
          'shadows.lightSamples': 1,
        },
      };
      await page
        .getByLabel('Recipe file')
        .setInputFiles({ name: 'b.json', mimeType: 'application/json', buffer: Buffer.from(JSON.stringify(sketch)) });
      await page.getByRole('button', { name: 'Recipe bench' }).waitFor();
      await page.waitForTimeout(2500);
      /** Steps one setting several times. @returns medians until the first new pixels and until it stands, ms */
      const step = async (stage: string, label: string, key: string): Promise<[number, number]> => {
        await page.locator(`[data-stage=${stage}]`).click();
        const first: number[] = [];
        const settled: number[] = [];
        for (let i = 0; i < 10; i++) {
          const [a, b] = await page.evaluate(
            ([name, key]) =>
              new Promise<[number, number]>((resolve) => {
                const input = document.querySelector<HTMLInputElement>(`input[aria-label="${name}, draft"]`)!;
                const canvas = document.querySelector<HTMLCanvasElement>('[data-testid=picture] canvas')!;
                const bits = (): string => /bits (\w+)/.exec(document.body.textContent ?? '')?.[1] ?? '';
                const before = bits();
                const start = performance.now();
                let coarse = 0;
                const watch = new MutationObserver(() => {
                  if (canvas.dataset.coarse === 'true') coarse ||= performance.now() - start;
                  if (canvas.dataset.coarse === 'true' || bits() === '' || bits() === before) return;
                  watch.disconnect();
                  const end = performance.now() - start;
                  resolve([coarse || end, end]);
                });
                watch.observe(document.body, {
                  ...{ attributes: true, attributeFilter: ['data-coarse'] },
                  ...{ subtree: true, childList: true, characterData: true },
                });
                input.dispatchEvent(new KeyboardEvent('keydown', { key, bubbles: true }));
              }),
            [label, key] as const,
          );
          first.push(a);
          settled.push(b);
          await page.waitForTimeout(300);
        }
        return [median(first.slice(3)), median(settled.slice(3))];
      };
      const [first, settled] = await step('bounce', 'Light from around', 'ArrowDown');
      const [, developed] = await step('lens', 'Exposure', 'ArrowUp');
      const where = 'lamp-room 640×360: setting changed →';
      return [
        row('interaction', `${where} first pixels`, 'bar', first, BARS.first, 'ms'),
        row('interaction', `${where} settled`, 'bar', settled, BARS.settled, 'ms'),
        row('interaction', 'lamp-room 640×360: exposure changed → settled', 'bar', developed, BARS.settled, 'ms'),
        row('page', 'first load of the demo to a picture', 'bar', median(loads), BARS.page, 'ms'),
      ];
    });
    await server.close();
    await rm(dir, { recursive: true, force: true });
    return rows ?? [];
  },
};

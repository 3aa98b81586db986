import { existsSync, readdirSync, readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { describe, expect, it } from 'vitest';
import { LAYERS } from '@daxel/core/frame/layers';

const root = join(import.meta.dirname, '..');
const pages = [
  'README.md',
  ...readdirSync(join(root, 'docs'))
    .filter((n) => n.endsWith('.md'))
    .map((n) => `docs/${n}`),
];
const read = (name: string): string => readFileSync(join(root, name), 'utf8');

describe('the documentation', () => {
  it.each(pages)('%s links only to what is there', (page) => {
    for (const [, target] of read(page).matchAll(/\]\(([^)#]+)(?:#[^)]*)?\)/g)) {
      if (/^https?:/.test(target)) continue;
      expect([page, target, existsSync(join(root, dirname(page), target))]).toEqual([page, target, true]);
    }
  });

  it('shows every screenshot, and fewer than twenty', () => {
    const shots = readdirSync(join(root, 'docs', 'screenshots'));
    expect(shots.length).toBeGreaterThan(4);
    expect(shots.length).toBeLessThan(20);
    for (const shot of shots) expect(read('README.md')).toContain(`docs/screenshots/${shot}`);
  });

  it('names every layer that a file may hold', () => {
    const text = read('docs/file-format.md');
    for (const name of Object.keys(LAYERS)) if (name !== 'beauty') expect(text).toContain(`\`${name}.`);
  });

  it('names every package that is depended on', () => {
    const text = read('docs/dependencies.md');
    for (const workspace of ['api', 'core', 'demo', 'formats', 'server', 'web']) {
      const { dependencies = {} } = JSON.parse(read(`${workspace}/package.json`)) as {
        dependencies?: Record<string, string>;
      };
      for (const name of Object.keys(dependencies)) {
        const short = name.startsWith('@gltf-transform') ? '@gltf-transform' : name;
        expect([name, text.includes(short)]).toEqual([name, true]);
      }
    }
  });

  it('has a few lines in every folder that holds code', () => {
    for (const folder of ['api', 'bench', 'core', 'demo', 'e2e', 'formats', 'server', 'tools', 'web']) {
      const text = read(`${folder}/README.md`);
      expect(text.split('\n').length).toBeGreaterThan(2);
    }
  });
});

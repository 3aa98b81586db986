import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { BUILD } from '../entries';
import { temporaryDir, writeSmallGlb } from '../testing/harness';

const dir = temporaryDir();
let scene = '';
const at = (name: string): string => join(dir.path, name);
const daxel = (...args: string[]) =>
  spawnSync(process.execPath, [join(BUILD, 'server', 'cli.js'), ...args], { encoding: 'utf8', cwd: dir.path });
const quick = ['--size', '64x48', '--set', 'samples.pixel=1', '--set', 'shadows.resolution=256'];

beforeAll(async () => {
  scene = await writeSmallGlb(dir.path);
});
afterAll(() => dir.remove());

describe('daxel bake', () => {
  const few = ['--set', 'bounce.probeRays=32', '--set', 'bounce.probeSpacing=0.5'];
  const probes = ['--set', 'bounce.method=probes', ...few];
  const hashOf = (from: string, ...more: string[]): { hash: string; notes: string; said: string } => {
    const report = at('baked.json');
    const run = daxel(
      'render',
      from,
      '--out',
      at('b.png'),
      '--again',
      '--report',
      report,
      ...quick,
      ...probes,
      ...more,
    );
    expect(run.stderr).toBe('');
    const { beautyHash, warnings } = JSON.parse(readFileSync(report, 'utf8')) as {
      beautyHash: string;
      warnings: string[];
    };
    return { hash: beautyHash, notes: warnings.join(' '), said: run.stdout };
  };

  it('puts probes beside a scene, by which the same frame is rendered to the same bits', () => {
    const out = at('baked.glb');
    const run = daxel('bake', scene, '--probes', '--out', out, ...few, '--report', at('bake.json'));
    expect(run.stdout).toMatch(
      /^[\d,]+ probes, [\d.]+ m apart, baked in [\d.]+ s \([\d,]+ probes, [\d.]+ MB\) {2}.*baked\.glb/,
    );
    const { probes: took } = JSON.parse(readFileSync(at('bake.json'), 'utf8')) as { probes: { count: number } };
    expect(took.count).toBeGreaterThan(1);
    const fresh = hashOf(scene);
    const kept = hashOf(out);
    expect(kept.hash).toBe(fresh.hash);
    expect(kept.notes).not.toContain('baked anew');
    // again with nothing new to bake, into the same file
    const before = readFileSync(out);
    expect(daxel('bake', out, '--probes', '--out', out, ...few).stdout).toContain('kept from before');
    expect(readFileSync(out).equals(before)).toBe(true);
  });

  it('for other light is said, and used only when that is insisted on', () => {
    const out = at('baked.glb');
    const other = ['--set', 'bounce.total=0'];
    const fresh = hashOf(scene, ...other);
    const anew = hashOf(out, ...other);
    expect(anew.hash).toBe(fresh.hash);
    expect(anew.said).toContain('were baked for other bounces: they are baked anew');
    const insisted = hashOf(out, ...other, '--baked-anyway');
    expect(insisted.notes).toContain('used all the same');
    expect(insisted.hash).not.toBe(fresh.hash);
    const boxes = hashOf(out, '--set', 'bounce.probeSpacing=0.7', '--baked-anyway');
    expect(boxes.notes).toContain('they do not fit');
  });

  it('refuses what it cannot do, and writes nothing', () => {
    const refused = (...args: string[]): string => {
      const run = daxel('bake', ...args);
      expect(run.status).toBe(2);
      return run.stderr;
    };
    expect(refused(scene, '--out', at('no.glb'))).toContain('Say what to bake');
    expect(refused(scene, '--probes')).toContain('Say where to write');
    expect(refused(scene, '--probes', '--out', at('no.png'))).toContain('--out BAKED.glb');
    expect(refused('--probes', '--out', at('no.glb'))).toContain('Give one scene');
    expect(refused(scene, '--probes', '--out', at('no.glb'), '--set', 'bounce.probeSpacing=0.001')).toContain(
      'Raise bounce.probeSpacing',
    );
    expect(existsSync(at('no.glb'))).toBe(false);
    expect(daxel('bake', '--help').stdout).toContain('daxel bake SCENE.glb --probes');
  });
});

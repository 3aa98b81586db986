import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { decode } from 'fast-png';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { readExrHeader } from '@daxel/formats/exr/exrHeader';
import { readShutter, SHUTTER_ATTRIBUTE } from '@daxel/formats/exr/shutterAttribute';
import { newLight, writeRig, type Rig } from '@daxel/core/light/rig';
import { writeRecipe } from '@daxel/core/recipe/recipe';
import { STUDIO_ENVIRONMENT } from '@daxel/core/scene/source';
import { BUILD } from '../entries';
import { temporaryDir, writeSmallGlb } from '../testing/harness';

const dir = temporaryDir();
let scene = '';
const at = (name: string): string => join(dir.path, name);
const daxel = (...args: string[]) =>
  spawnSync(process.execPath, [join(BUILD, 'server', 'cli.js'), ...args], { encoding: 'utf8', cwd: dir.path });
const quick = [
  '--size',
  '64x48',
  '--set',
  'samples.pixel=2',
  '--set',
  'shadows.resolution=256',
  '--set',
  'lens.exposure=-12',
];

beforeAll(async () => {
  scene = await writeSmallGlb(dir.path);
});
afterAll(() => dir.remove());

describe('frames that are there already', () => {
  const frames = (...more: string[]) =>
    daxel('render', scene, '--out', at('again/f.##.png'), '--frames=1-3', ...quick, ...more);

  it('from the same scene and settings are not rendered again, unless that is asked for', () => {
    expect(frames().stdout.match(/64×48/g)?.length).toBe(3);
    const whole = readFileSync(at('again/f.02.png'));
    // one is cut short, as by a copy that broke off
    writeFileSync(at('again/f.02.png'), whole.subarray(0, whole.length - 20));
    const second = frames('--report', at('again.json')).stdout;
    expect(second).toContain('frame 1  is there already');
    expect(second.match(/64×48/g)?.length).toBe(1);
    expect(readFileSync(at('again/f.02.png')).equals(whole)).toBe(true);
    expect(JSON.parse(readFileSync(at('again.json'), 'utf8'))).toMatchObject({
      frames: [{ frame: 2 }],
      skipped: [1, 3],
    });
    expect(frames('--again').stdout.match(/64×48/g)?.length).toBe(3);
  });

  it('from others are', () => {
    expect(frames('--set', 'lens.exposure=-11').stdout.match(/64×48/g)?.length).toBe(3);
    expect(frames('--set', 'lens.exposure=-11').stdout).not.toContain('64×48');
    expect(frames('--seed', '5', '--set', 'lens.exposure=-11').stdout.match(/64×48/g)?.length).toBe(3);
  });

  it('in other surroundings of the same size are', () => {
    const sky = (name: string, value: number): string => {
      const head = new TextEncoder().encode('#?RADIANCE\n\n-Y 16 +X 32\n');
      writeFileSync(at(name), Buffer.concat([head, Buffer.alloc(16 * 32 * 4, value)]));
      return at(name);
    };
    const still = (file: string) =>
      daxel('render', scene, '--out', at('sky.png'), '--environment', file, ...quick).stdout;
    expect(still(sky('one.hdr', 130))).toContain('64×48');
    expect(still(sky('one.hdr', 130))).toContain('is there already');
    expect(still(sky('two.hdr', 131))).toContain('64×48');
  });

  it('are known in EXR files as well', () => {
    const still = () => daxel('render', scene, '--out', at('marked.exr'), ...quick).stdout;
    expect(still()).toContain('64×48');
    expect(still()).toContain('is there already');
  });
});

describe('what cannot be read or written', () => {
  it.each([
    ['a folder in place of the picture', ['--out', 'folder.png'], /folder\.png: that is a folder/],
    ['a file in place of a folder', ['--out', 'small.glb/x.png'], /small\.glb\/x\.png: .*is a file/],
    ['a device to write to', ['--out', 'device.png'], /device\.png: that is no plain file/],
    ['a report into a folder', ['--out', 'x.png', '--report', 'folder.png'], /folder\.png: that is a folder/],
    ['a device as a recipe', ['--out', 'x.png', '--recipe', '/dev/zero'], /\/dev\/zero: this is not a file/],
    ['a device as surroundings', ['--out', 'x.png', '--environment', '/dev/zero'], /\/dev\/zero: this is not a file/],
    ['a word for a number', ['--out', 'x.png', '--set', 'samples.pixel=abc'], /not "abc"/],
    ['nothing for a number', ['--out', 'x.png', '--set', 'samples.pixel='], /not nothing/],
  ])('is told before anything is rendered: %s', (_name, args, expected) => {
    mkdirSync(at('folder.png'), { recursive: true });
    if (!existsSync(at('device.png'))) symlinkSync('/dev/null', at('device.png'));
    const { status, stdout, stderr } = daxel('render', scene, ...args);
    expect(stderr).toMatch(expected);
    expect(stderr.trim().split('\n').length).toBe(1);
    expect(status).toBe(2);
    expect(stdout).toBe('');
    expect(existsSync(at('x.png'))).toBe(false);
  });
});

describe('daxel render', () => {
  it('writes an EXR with layers and a report of what it took', () => {
    const { status, stdout } = daxel(
      'render',
      scene,
      '--out',
      at('still.exr'),
      '--report',
      at('report.json'),
      ...quick,
    );
    expect(status).toBe(0);
    expect(stdout).toContain('64×48');
    const report = JSON.parse(readFileSync(at('report.json'), 'utf8')) as Record<string, unknown>;
    expect(report).toMatchObject({
      size: [64, 48],
      frame: 0,
      method: 'raster',
      tier: 'final',
      samples: 2,
      outputs: [at('still.exr')],
    });
    expect(Object.keys(report.stages as object)).toEqual(
      expect.arrayContaining(['geometry', 'shadows', 'samples', 'lens', 'waiting']),
    );
    const stages = Object.values(report.stages as Record<string, { seconds: number }>);
    const sum = stages.reduce((all, s) => all + s.seconds, 0);
    expect(Math.abs(sum / (report.seconds as number) - 1)).toBeLessThan(0.01);
    const header = execFileSync('exrheader', [at('still.exr')], { encoding: 'utf8' });
    for (const channel of ['R, 32-bit', 'direct.G', 'depth.Z', 'normal.X', 'shadow.Y'])
      expect(header).toContain(channel);
  });

  it.each([
    ['rasterised', []],
    ['with traced bounce', ['--set', 'bounce.method=traced']],
    ['with voxels', ['--set', 'bounce.method=voxels', '--set', 'bounce.voxelResolution=48']],
    ['with probes', ['--set', 'bounce.method=probes', '--set', 'bounce.probeRays=16']],
  ])('gives the same bits from one, two and three threads, %s', (_name, more) => {
    const hashes = [1, 2, 3].map((threads) => {
      const report = at(`threads${threads}.json`);
      expect(
        daxel(
          'render',
          scene,
          '--out',
          at('t.exr'),
          '--again',
          '--report',
          report,
          '--threads',
          `${threads}`,
          ...quick,
          ...more,
        ).status,
      ).toBe(0);
      return (JSON.parse(readFileSync(report, 'utf8')) as { beautyHash: string }).beautyHash;
    });
    expect(new Set(hashes).size).toBe(1);
  });

  it('fills numbers, shot and layer into the pattern', () => {
    expect(
      daxel('render', scene, '--shot', 'side', '--frames', '3-4', '--out', at('f/{shot}.####.png'), ...quick).status,
    ).toBe(0);
    expect(readdirSync(at('f')).sort()).toEqual(['side.0003.png', 'side.0004.png']);
    expect(decode(readFileSync(at('f/side.0003.png')))).toMatchObject({ width: 64, height: 48, depth: 8 });
    expect(daxel('render', scene, '--layers', 'beauty,depth', '--out', at('l/{layer}.exr'), ...quick).status).toBe(0);
    expect(readdirSync(at('l')).sort()).toEqual(['beauty.exr', 'depth.exr']);
  });

  it('reads a recipe file and lets single settings go before it', () => {
    writeFileSync(
      at('r.json'),
      writeRecipe({ name: 'mine', draft: {}, final: { 'output.width': 32, 'output.height': 32, 'samples.pixel': 3 } }),
    );
    const report = at('recipe.json');
    daxel(
      'render',
      scene,
      '--recipe',
      at('r.json'),
      '--set',
      'samples.pixel=1',
      '--out',
      at('r.png'),
      '--report',
      report,
    );
    expect(JSON.parse(readFileSync(report, 'utf8'))).toMatchObject({ size: [32, 32], samples: 1 });
  });

  it('takes a rig and an environment picture instead of the scene’s own light', () => {
    const rig: Rig = {
      name: 'lamp',
      exposureEv: 1,
      lights: [{ ...newLight('area', 'a', 'panel'), intensity: 9000, position: [0, 3, 0] }],
      environment: { ...STUDIO_ENVIRONMENT, glow: undefined, strength: 0 },
    };
    writeFileSync(at('lamp.rig.json'), writeRig(rig));
    const sky = new TextEncoder().encode('#?RADIANCE\n\n-Y 16 +X 32\n');
    writeFileSync(at('sky.hdr'), Buffer.concat([sky, Buffer.alloc(16 * 32 * 4, 130)]));
    const hash = (...more: string[]): string => {
      const { status, stderr } = daxel(
        'render',
        scene,
        '--out',
        at('r.exr'),
        '--report',
        at('r.json'),
        ...quick,
        ...more,
      );
      expect([status, stderr]).toEqual([0, '']);
      return (JSON.parse(readFileSync(at('r.json'), 'utf8')) as { beautyHash: string }).beautyHash;
    };
    const seen = [hash(), hash('--rig', at('lamp.rig.json')), hash('--environment', at('sky.hdr'))];
    expect(new Set(seen).size).toBe(3);
    writeFileSync(at('bad.rig.json'), writeRig(rig).replace('"area"', '"beam"'));
    const bad = daxel('render', scene, '--out', at('r.exr'), '--rig', at('bad.rig.json'));
    expect(bad.status).toBe(2);
    expect(bad.stderr).toMatch(/bad\.rig\.json: rig\.lights\.0\.kind/);
  });

  it('path traces, and goes on from where it was killed to the same bits', async () => {
    const args = [
      'render',
      scene,
      '--method',
      'path',
      '--size',
      '80x48',
      '--set',
      'samples.pixel=96',
      '--set',
      'lens.exposure=-12',
    ];
    const hash = (name: string): string =>
      (JSON.parse(readFileSync(at(name), 'utf8')) as { beautyHash: string; method: string }).beautyHash;
    expect(daxel(...args, '--out', at('whole.exr'), '--report', at('whole.json')).status).toBe(0);
    const cli = [join(BUILD, 'server', 'cli.js'), ...args, '--out', at('part.exr'), '--report', at('part.json')];
    const env = { ...process.env, DAXEL_CHECKPOINT_SECONDS: '0.01' };
    const child = spawn(process.execPath, cli, { env, cwd: dir.path, stdio: 'ignore' });
    await expect.poll(() => existsSync(at('part.exr.unfinished')), { timeout: 20_000, interval: 5 }).toBe(true);
    child.kill('SIGKILL');
    await new Promise((done) => child.once('exit', done));
    expect(existsSync(at('part.exr'))).toBe(false);
    const again = spawnSync(process.execPath, cli, { encoding: 'utf8', cwd: dir.path });
    expect(again.stdout).toMatch(/going on from \d+ samples/);
    expect(hash('part.json')).toBe(hash('whole.json'));
    expect(existsSync(at('part.exr.unfinished'))).toBe(false);
    const report = JSON.parse(readFileSync(at('part.json'), 'utf8')) as Record<string, unknown>;
    expect(report).toMatchObject({ method: 'path', samples: 96, clampedShare: 0 });
    expect(report.noise).toBeGreaterThan(0);
    expect(execFileSync('exrheader', [at('part.exr')], { encoding: 'utf8' })).toContain('error.Y');
  });

  it('lists all settings', () => {
    const { status, stdout } = daxel('render', '--settings');
    expect(status).toBe(0);
    for (const id of ['samples.pixel', 'shadows.resolution', 'lens.exposure']) expect(stdout).toContain(id);
  });

  it.each<[string, string[], RegExp]>([
    ['no scene', ['--out', 'x.exr'], /Give one scene/],
    ['a missing scene', ['nowhere.glb', '--out', 'x.exr'], /nowhere\.glb: there is no such file/],
    ['a folder', ['.', '--out', 'x.exr'], /not a file/],
    ['no target', ['small.glb'], /--out/],
    ['an unknown ending', ['small.glb', '--out', 'x.jpg'], /\.exr or \.png/],
    ['an unknown flag', ['small.glb', '--out', 'x.exr', '--fast'], /--fast/],
    ['an unknown setting', ['small.glb', '--out', 'x.exr', '--set', 'samples.many=1'], /no setting "samples\.many"/],
    ['a value out of range', ['small.glb', '--out', 'x.exr', '--set', 'samples.pixel=0'], /from 1 to 4096/],
    ['an odd size', ['small.glb', '--out', 'x.exr', '--size', '10by10'], /WIDTHxHEIGHT/],
    ['an unknown shot', ['small.glb', '--out', 'x.exr', '--shot', 'roof'], /no shot "roof".*front, side/],
    ['an unknown tier', ['small.glb', '--out', 'x.exr', '--tier', 'best'], /draft or final/],
    ['an unknown layer', ['small.glb', '--out', 'x.exr', '--layers', 'beauty,gloss'], /no layer "gloss"/],
    ['frames without a place for the number', ['small.glb', '--out', 'x.exr', '--frames', '1-3'], /####/],
    ['frames backwards', ['small.glb', '--out', 'x.####.exr', '--frames', '5-3'], /--frames/],
    ['too many threads', ['small.glb', '--out', 'x.exr', '--threads', '99'], /from 1 to 32/],
    ['a broken recipe', ['small.glb', '--out', 'x.exr', '--recipe', 'broken.json'], /broken\.json: not valid JSON/],
    ['a file that is no scene', ['broken.json', '--out', 'x.exr'], /broken\.json: /],
  ])('refuses %s with one line, status 2 and nothing written', (_name, args, expected) => {
    writeFileSync(at('broken.json'), '{"format":');
    const { status, stderr } = daxel('render', ...args);
    expect(stderr).toMatch(expected);
    expect(stderr.trim().split('\n').length).toBe(1);
    expect(status).toBe(2);
    expect(existsSync(at('x.exr'))).toBe(false);
  });

  it('leaves nothing half-written where it may not write', () => {
    // a folder of its own: a frame that another test kills may leave what it was writing
    mkdirSync(at('own/taken.png'), { recursive: true });
    const { status, stderr } = daxel('render', scene, '--out', at('own/taken.png'), ...quick);
    expect(status).toBe(2);
    expect(stderr).toMatch(/that is a folder/);
    expect(readdirSync(at('own')).filter((n) => n.endsWith('.part'))).toEqual([]);
  });
});

describe('daxel measure error', () => {
  it('prints and reports the figures of a picture against a reference', () => {
    for (const [name, samples] of [
      ['few.exr', '2'],
      ['many.exr', '64'],
    ])
      daxel(
        'render',
        scene,
        '--method',
        'path',
        '--size',
        '64x48',
        '--set',
        `samples.pixel=${samples}`,
        '--set',
        'lens.exposure=-12',
        '--out',
        at(name),
      );
    const { status, stdout } = daxel('measure', 'error', at('few.exr'), at('many.exr'), '--report', at('m.json'));
    expect(status).toBe(0);
    expect(stdout).toContain("The reference's own noise");
    const figures = JSON.parse(readFileSync(at('m.json'), 'utf8')) as Record<string, number>;
    expect(Object.keys(figures)).toEqual(['rmse', 'relMse', 'psnr', 'ssim', 'flip', 'meanStops', 'noiseFloor']);
    expect(figures.flip).toBeGreaterThan(0);
    expect(figures.rmse).toBeGreaterThan(figures.noiseFloor);
    const same = daxel('measure', 'error', at('many.exr'), at('many.exr'), '--report', at('m.json'));
    expect(same.stdout).toContain('no more than the noise of the reference');
    expect(JSON.parse(readFileSync(at('m.json'), 'utf8'))).toMatchObject({ rmse: 0, psnr: null, flip: 0, ssim: 1 });
  });

  it.each<[string, string[], RegExp]>([
    ['one picture', ['error', 'few.exr'], /Give two pictures/],
    ['a missing picture', ['error', 'few.exr', 'nowhere.exr'], /nowhere\.exr: there is no such file/],
    [
      'a file that is no picture',
      ['error', 'few.exr', 'broken.json'],
      /broken\.json: it is neither a PNG nor an OpenEXR/,
    ],
    ['another size', ['error', 'few.exr', 'whole.exr'], /few\.exr is 64×48 and whole\.exr is 80×48/],
    ['another measure', ['beauty', 'few.exr', 'few.exr'], /error and stability/],
  ])('refuses %s with one line and status 2', (_what, args, message) => {
    const { status, stderr } = daxel('measure', ...args);
    expect(stderr).toMatch(message);
    expect(stderr.trim().split('\n').length).toBe(1);
    expect(status).toBe(2);
  });
});

describe('daxel', () => {
  it('names its commands when it is asked for another', () => {
    const { status, stderr } = daxel('paint');
    expect(status).toBe(2);
    expect(stderr).toContain('there is no command "paint"');
  });

  it('refuses a port that is none', () => {
    const { status, stderr } = daxel('demo', '--port', '99999', '--data', at('d'));
    expect(status).toBe(2);
    expect(stderr).toContain('--port 99999');
  });
});

describe('daxel measure stability', () => {
  const report = (name: string) => JSON.parse(readFileSync(at(name), 'utf8')) as Record<string, unknown>;

  it('measures rendered frames by their motion layer', () => {
    const layers = ['--layers', 'beauty,direct,bounce,reflection,emission,shadow,motion,objectId'];
    const blurred = ['--set', 'samples.shutter=2'];
    expect(
      daxel('render', scene, ...quick, ...blurred, ...layers, '--frames', '0-6', '--out', at('s.####.exr')).status,
    ).toBe(0);
    // the frames say how their shutter was sampled
    const head = readExrHeader(new Uint8Array(readFileSync(at('s.0003.exr'))), 's.0003.exr');
    expect(readShutter(head.texts[SHUTTER_ATTRIBUTE])).toEqual({ instants: 2, open: expect.closeTo(0.5, 6) as number });
    const { status, stdout, stderr } = daxel('measure', 'stability', at('s.####.exr'), '--report', at('s.json'));
    expect([status, stderr]).toEqual([0, '']);
    expect(stdout).toMatch(/3 frames measured\. Flicker 0\.\d\d \(median\)/);
    const { frames, motionSource, kinds, blame, worst, coverage, index, stepping } = report('s.json');
    const { parts } = blame as { parts: Record<string, number> };
    expect(Object.keys(parts)).toEqual(['direct', 'shadow', 'bounce', 'reflection', 'emission']);
    expect(stepping).toBeNull();
    expect(motionSource).toBe('layer');
    expect((frames as { frame: number }[]).map((f) => f.frame)).toEqual([2, 3, 4]);
    expect(Object.keys(kinds as object)).toEqual(['pop', 'boil', 'sparkle', 'crawl', 'grain', 'light']);
    expect(worst).toBeInstanceOf(Array);
    expect(coverage).toBeGreaterThan(0.3);
    expect(index).toBeLessThan(1);
  });

  it('measures a PNG sequence by its own flow, and a file a layer', () => {
    // from below zero on, as handles go
    expect(daxel('render', scene, ...quick, '--frames=-2-3', '--out', at('p.###.png')).status).toBe(0);
    const { stdout } = daxel('measure', 'stability', at('p.###.png'), '--report', at('p.json'));
    expect((report('p.json').frames as { frame: number }[]).map((f) => f.frame)).toEqual([0, 1]);
    expect(stdout).toContain('There is no motion layer');
    const { motionSource, blame } = report('p.json');
    expect([motionSource, blame]).toEqual(['flow', null]);
  });

  it.each<[string, string[], RegExp]>([
    ['a name without a number', ['s.exr'], /put #### where the frame number stands/],
    ['a name that nothing fits', ['none.####.exr'], /no file in .* fits/],
    ['a folder that is not there', ['nowhere/f.####.exr'], /no such folder/],
    ['two patterns', ['s.####.exr', 'p.###.png'], /Give one pattern/],
    ['a viewer who cannot be', ['s.####.exr', '--pixels-per-degree', '5000'], /from 10 to 240/],
  ])('refuses %s in one line', (_name, args, message) => {
    const { status, stderr } = daxel('measure', 'stability', ...args);
    expect(status).toBe(2);
    expect(stderr).toMatch(message);
    expect(stderr.trim().split('\n')).toHaveLength(1);
  });

  it('names the frame that is missing', () => {
    mkdirSync(at('gap'));
    for (const n of [1, 2, 4]) writeFileSync(at(`gap/f.000${n}.png`), readFileSync(at('p.001.png')));
    expect(daxel('measure', 'stability', at('gap/f.####.png')).stderr).toContain('frame 3 is missing between 2 and 4');
  });
});

import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Project, Sequence, Shot, Still, Wedge } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useImports } from './imports';
import { useNotices } from './notices';
import { useProjects } from './projects';
import { useRuns, type Run } from './runs';
import { finishedFrames, newestFrame, sequenceProgress, useSequences } from './sequences';
import { useStills } from './stills';
import { useWedges } from './wedges';

beforeEach(() => setActivePinia(createPinia()));
afterEach(() => void vi.restoreAllMocks());

const still = (id: string, createdAt: string, state: Still['state'] = 'done'): Still =>
  ({ id, createdAt, state }) as Still;
const sequence = (id: string, createdAt: string, more: Partial<Sequence> = {}): Sequence =>
  ({ id, createdAt, state: 'done', map: '++..', progress: 0, ...more }) as Sequence;

describe('stills', () => {
  it('stand newest first, whatever order they come in, and are changed in place', async () => {
    const stills = useStills();
    vi.spyOn(api, 'stills').mockResolvedValue([still('b', '2026-01-02')]);
    expect(stills.loaded).toBe(false);
    await stills.load();
    expect(stills.loaded).toBe(true);
    stills.put(still('a', '2026-01-01'));
    stills.put(still('c', '2026-01-03', 'queued'));
    expect(stills.list.map((s) => s.id)).toEqual(['c', 'b', 'a']);
    stills.put(still('c', '2026-01-03', 'running'));
    expect(stills.list.map((s) => s.state)).toEqual(['running', 'done', 'done']);
    stills.drop('b');
    expect(stills.list.map((s) => s.id)).toEqual(['c', 'a']);
  });

  it('that are under way are told in the order of the queue', () => {
    const stills = useStills();
    for (const [id, state] of [
      ['1', 'running'],
      ['2', 'done'],
      ['3', 'queued'],
    ] as const)
      stills.put(still(id, `2026-01-0${id}`, state));
    expect(stills.running.map((s) => s.id)).toEqual(['1', '3']);
  });
});

describe('sequences', () => {
  it('give back what they were before they changed', () => {
    const sequences = useSequences();
    expect(sequences.put(sequence('a', '2026-01-01', { state: 'running' }))).toBeNull();
    expect(sequences.put(sequence('a', '2026-01-01'))?.state).toBe('running');
    sequences.put(sequence('b', '2026-01-02', { state: 'queued' }));
    expect(sequences.list.map((s) => s.id)).toEqual(['b', 'a']);
    expect(sequences.running.map((s) => s.id)).toEqual(['b']);
    sequences.drop('b');
    expect(sequences.running).toEqual([]);
  });

  it('count what is finished, sound or not, and the part of the frame that is rendered', () => {
    expect(finishedFrames(sequence('a', '', { map: '+!+.' }))).toBe(3);
    expect(sequenceProgress(sequence('a', '', { map: '++..', progress: 0.5 }))).toBe(0.625);
    expect(sequenceProgress(sequence('a', '', { map: '++++', progress: 0.5 }))).toBe(1);
    expect(newestFrame('+!..', 8)).toBe(9);
    expect(newestFrame('....', 8)).toBeNull();
    // handles begin below zero
    expect(newestFrame('+...', -4)).toBe(-4);
  });
});

describe('wedges', () => {
  const wedge = (id: string, shotId = 'one', more: Partial<Wedge> = {}): Wedge => ({ id, shotId, ...more }) as Wedge;

  it('are those of the shot that is open, even if the answer for another one comes late', async () => {
    const wedges = useWedges();
    let late: (found: Wedge[]) => void = () => undefined;
    vi.spyOn(api, 'wedges').mockImplementation((shot) =>
      shot === 'one' ? new Promise((done) => (late = done)) : Promise.resolve([wedge('b', 'two')]),
    );
    const first = wedges.load('one');
    await wedges.load('two');
    late([wedge('a')]);
    await first;
    expect(wedges.list.map((w) => w.id)).toEqual(['b']);
    wedges.put(wedge('a'));
    expect(wedges.list.map((w) => w.id)).toEqual(['b']);
  });

  it('come to the front when they are new and stay where they are when they change', async () => {
    const wedges = useWedges();
    vi.spyOn(api, 'wedges').mockResolvedValue([wedge('a')]);
    await wedges.load('one');
    wedges.put(wedge('b'));
    wedges.put(wedge('a', 'one', { state: 'done' }));
    expect(wedges.list.map((w) => [w.id, w.state])).toEqual([
      ['b', undefined],
      ['a', 'done'],
    ]);
    wedges.drop('b');
    expect(wedges.list.length).toBe(1);
  });

  it('of all shots are kept while they are open, for the list of jobs', async () => {
    const wedges = useWedges();
    vi.spyOn(api, 'openWedges').mockResolvedValue([wedge('a', 'elsewhere', { state: 'running' })]);
    await wedges.loadOpen();
    wedges.put(wedge('b', 'two', { state: 'queued' }));
    expect(wedges.open.map((w) => w.id)).toEqual(['a', 'b']);
    wedges.put(wedge('a', 'elsewhere', { state: 'done' }));
    wedges.drop('b');
    expect(wedges.open).toEqual([]);
  });
});

describe('runs', () => {
  const run = (shotId: string, state: Run['state'] = 'done'): Run => ({ shotId, state }) as Run;

  it('keep the finished one before beside the newest, of the same shot', () => {
    const runs = useRuns();
    runs.put(run('one'));
    runs.turn('one');
    expect([runs.newest, runs.before?.shotId]).toEqual([null, 'one']);
    runs.put(run('one', 'rendering'));
    expect(runs.before?.state).toBe('done');
    // one that was cancelled is no measure for the next
    runs.put(run('one', 'cancelled'));
    runs.turn('one');
    expect(runs.before?.state).toBe('done');
    runs.put(run('two', 'rendering'));
    expect(runs.before).toBeNull();
  });
});

describe('projects', () => {
  const shot = { id: 's', sceneId: 'c', name: 'one' } as Shot;
  const project = (shots: Shot[], scenes: { id: string }[] = [{ id: 'c' }]): Project =>
    ({ id: 'p', name: 'Skerry', shots, scenes }) as Project;

  it('find a shot with its scene, and nothing where either is missing', async () => {
    const projects = useProjects();
    vi.spyOn(api, 'projects').mockResolvedValue([project([shot, { ...shot, id: 't', sceneId: 'gone' }])]);
    await projects.load();
    expect(projects.find('s')?.scene.id).toBe('c');
    expect(projects.find('t')).toBeUndefined();
    expect(projects.find('u')).toBeUndefined();
    projects.put({ ...shot, name: 'two' });
    expect(projects.find('s')?.shot.name).toBe('two');
    expect(projects.shots.map((s) => s.project.name)).toEqual(['Skerry', 'Skerry']);
  });

  it('say why they cannot be had, and forget it once they can', async () => {
    const projects = useProjects();
    const asked = vi.spyOn(api, 'projects').mockRejectedValueOnce(new ApiError(0, 'offline', 'It does not answer.'));
    await projects.load();
    expect([projects.loaded, projects.failure]).toEqual([false, 'It does not answer.']);
    asked.mockResolvedValue([]);
    await projects.load();
    expect([projects.loaded, projects.failure]).toEqual([true, null]);
  });
});

describe('bringing a scene in', () => {
  const file = (name: string): File => new File([new Uint8Array(4)], name);
  const project = { id: 'p' } as Project;

  it('takes one .glb at a time and reads the projects anew', async () => {
    const imports = useImports();
    let done: (p: Project) => void = () => undefined;
    const sent = vi.spyOn(api, 'importFile').mockImplementation((_file, _upload, progress) => {
      progress(0.25);
      return { promise: new Promise((resolve) => (done = resolve)), cancel: () => undefined };
    });
    const listed = vi.spyOn(api, 'projects').mockResolvedValue([]);
    const first = imports.bringIn(file('a.glb'));
    expect(imports.running?.name).toBe('a.glb');
    expect([imports.doing, imports.done]).toEqual(['sending', 0.25]);
    expect(await imports.bringIn(file('b.glb'))).toBeNull();
    done(project);
    expect(await first).toBe(project);
    expect([sent.mock.calls.length, listed.mock.calls.length]).toEqual([1, 1]);
    expect([imports.running, imports.made?.id]).toEqual([null, 'p']);
  });

  it('tells what the server does with the file, of this file alone', async () => {
    const imports = useImports();
    let [upload, sent, done]: [string, (s: number) => void, (p: Project) => void] = ['', () => {}, () => {}];
    vi.spyOn(api, 'importFile').mockImplementation((_file, name, progress) => {
      [upload, sent] = [name, progress];
      return { promise: new Promise((resolve) => (done = resolve)), cancel: () => undefined };
    });
    vi.spyOn(api, 'projects').mockResolvedValue([]);
    const first = imports.bringIn(file('a.glb'));
    sent(1);
    expect([imports.doing, imports.done]).toEqual(['checking', null]);
    const said = (step: 'meshes' | 'pictures' | 'drawing', n: number, of: number): [string, number | null] => {
      imports.told(upload, { step, done: n, of });
      return [imports.doing, imports.done];
    };
    expect(said('meshes', 0, 1)).toEqual(['preparing mesh', null]);
    expect(said('pictures', 3, 12)).toEqual(['unpacking picture 4 of 12', 0.25]);
    imports.told('another', { step: 'drawing', done: 0, of: 2 });
    expect(imports.doing).toBe('unpacking picture 4 of 12');
    expect(said('drawing', 0, 2)[0]).toBe('drawing its shots');
    done(project);
    await first;
    const second = imports.bringIn(file('b.glb'));
    expect([imports.doing, imports.done]).toEqual(['sending', 0]);
    done(project);
    await second;
  });

  it('refuses other files with the remedy, and sends nothing', async () => {
    const imports = useImports();
    const sent = vi.spyOn(api, 'importFile');
    expect(await imports.bringIn(file('scene.blend'))).toBeNull();
    expect(imports.failure).toBe(
      'scene.blend: only .glb files can be dropped here. Export the scene as glTF binary (.glb).',
    );
    expect(await imports.bringIn(undefined)).toBeNull();
    expect(sent).not.toHaveBeenCalled();
  });

  it('says what was wrong with a file, but nothing of one that was cancelled', async () => {
    const imports = useImports();
    const refuse = (error: Error) =>
      vi.spyOn(api, 'importFile').mockReturnValueOnce({ promise: Promise.reject(error), cancel: () => undefined });
    refuse(new ApiError(422, 'bad-file', 'a.glb: it ends too early. Export it again.'));
    expect(await imports.bringIn(file('a.glb'))).toBeNull();
    expect(imports.failure).toContain('ends too early');
    refuse(new ApiError(0, 'cancelled', 'cancelled'));
    await imports.bringIn(file('a.glb'));
    expect([imports.failure, imports.running]).toEqual([null, null]);
  });
});

describe('notices', () => {
  it('say one thing at a time, and flag what went wrong', () => {
    const notices = useNotices();
    notices.say('Light key was deleted.', { label: 'Undo', run: () => undefined });
    expect(notices.current).toMatchObject({ flagged: false, action: { label: 'Undo' } });
    notices.flag(new Error('The disk is full.'));
    expect(notices.current).toEqual({ text: 'The disk is full.', flagged: true });
    notices.flag('unknown');
    expect(notices.current?.text).toBe('unknown');
  });
});

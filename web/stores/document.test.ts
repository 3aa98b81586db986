import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { Shot, ShotChange } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useDocument } from './document';
import { useNotices } from './notices';
import { useProjects } from './projects';

const shot: Shot = {
  id: '6f1e3c1e-0000-4000-8000-000000000001',
  sceneId: '6f1e3c1e-0000-4000-8000-000000000002',
  name: 'one',
  firstFrame: 0,
  lastFrame: 10,
  rate: 24,
  handles: 0,
  frame: 0,
  seed: 1,
  recipe: { name: 'Dailies', draft: { 'samples.pixel': 4 }, final: {} },
  patches: [],
  version: 3,
  thumbnail: null,
  hint: null,
};
const sent: ShotChange[] = [];
let answer: (change: ShotChange) => Promise<Shot>;

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  sent.length = 0;
  answer = (change) => Promise.resolve({ ...shot, ...change, version: change.version + 1 });
  vi.spyOn(api, 'changeShot').mockImplementation((_id, change) => {
    sent.push(change);
    return answer(change);
  });
});
afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
});
const pixel = (): unknown => useDocument().recipe?.draft['samples.pixel'];

describe('the document', () => {
  it('undoes and redoes edits one by one', async () => {
    const doc = useDocument();
    await doc.open(shot);
    doc.setValue('draft', 'samples.pixel', 8);
    doc.setValue('draft', 'lens.exposure', 1);
    expect(pixel()).toBe(8);
    doc.undo();
    expect(doc.recipe?.draft['lens.exposure']).toBeUndefined();
    doc.undo();
    expect(pixel()).toBe(4);
    expect(doc.canUndo).toBe(false);
    doc.redo();
    expect(pixel()).toBe(8);
    doc.setValue('draft', 'samples.pixel', 16);
    expect(doc.canRedo).toBe(false);
  });

  it('takes a drag as one step', async () => {
    const doc = useDocument();
    await doc.open(shot);
    for (let v = 5; v < 40; v++) doc.setValue('draft', 'samples.pixel', v);
    doc.undo();
    expect(pixel()).toBe(4);
  });

  it('refuses what the registry refuses, and changes nothing', async () => {
    const doc = useDocument();
    await doc.open(shot);
    expect(() => doc.setValue('draft', 'samples.pixel', 0)).toThrow(/1 to 4096/);
    expect(doc.canUndo).toBe(false);
  });

  it('saves a moment after the last change, once', async () => {
    const doc = useDocument();
    await doc.open(shot);
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(200);
    doc.setValue('draft', 'samples.pixel', 9);
    expect(doc.saving).toBe('waiting');
    await vi.advanceTimersByTimeAsync(1000);
    expect(sent.length).toBe(1);
    expect(sent[0]).toMatchObject({ version: 3, recipe: { draft: { 'samples.pixel': 9 } } });
    expect(doc.saving).toBe('saved');
    doc.setValue('draft', 'samples.pixel', 10);
    await vi.advanceTimersByTimeAsync(1000);
    expect(sent[1].version).toBe(4);
  });

  it('saves what changed while it was saving', async () => {
    const doc = useDocument();
    await doc.open(shot);
    let release: (shot: Shot) => void = () => undefined;
    answer = () => new Promise((r) => (release = r));
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    doc.setValue('draft', 'samples.pixel', 32);
    answer = (change) => Promise.resolve({ ...shot, ...change, version: change.version + 1 });
    release({ ...shot, version: 4 });
    await vi.advanceTimersByTimeAsync(1000);
    expect(pixel()).toBe(32);
    expect(sent.at(-1)).toMatchObject({ version: 4, recipe: { draft: { 'samples.pixel': 32 } } });
    expect(doc.saving).toBe('saved');
  });

  it('keeps the edit and tries again when the server is away', async () => {
    const doc = useDocument();
    await doc.open(shot);
    answer = () => Promise.reject(new ApiError(0, 'offline', 'The server does not answer.'));
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    expect(doc.saving).toBe('failed');
    expect(useNotices().current).toMatchObject({ flagged: true, text: 'The server does not answer.' });
    expect(pixel()).toBe(8);
    answer = (change) => Promise.resolve({ ...shot, ...change, version: change.version + 1 });
    await vi.advanceTimersByTimeAsync(5000);
    expect(doc.saving).toBe('saved');
  });

  it('loads the other version when the shot was changed elsewhere', async () => {
    const doc = useDocument();
    const projects = useProjects();
    const theirs = { ...shot, version: 9, recipe: { ...shot.recipe, name: 'theirs' } };
    vi.spyOn(api, 'projects').mockResolvedValue([
      {
        id: shot.id,
        name: 'p',
        source: 'file',
        createdAt: '',
        scenes: [{ id: shot.sceneId } as never],
        shots: [theirs],
      },
    ]);
    await doc.open(shot);
    answer = () => Promise.reject(new ApiError(409, 'conflict', 'This shot was changed elsewhere meanwhile.'));
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    expect(projects.loaded).toBe(true);
    expect(doc.recipe?.name).toBe('theirs');
    expect(doc.saving).toBe('saved');
  });
});

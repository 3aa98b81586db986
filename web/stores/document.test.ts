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

  /** The server has it so from now on, and refuses what was made of an older version. */
  function changedElsewhere(theirs: Shot): void {
    serverHas([theirs]);
    answer = (change) =>
      change.version === theirs.version
        ? Promise.resolve({ ...theirs, ...change, version: change.version + 1 })
        : Promise.reject(new ApiError(409, 'conflict', 'This shot was changed elsewhere meanwhile.'));
  }

  it('keeps both changes when the shot was changed elsewhere', async () => {
    const doc = useDocument();
    await doc.open(shot);
    changedElsewhere({ ...shot, version: 9, recipe: { ...shot.recipe, name: 'theirs', final: { 'lens.bloom': 7 } } });
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(1500);
    expect(doc.recipe).toEqual({ name: 'theirs', draft: { 'samples.pixel': 8 }, final: { 'lens.bloom': 7 } });
    expect(sent.at(-1)).toMatchObject({ version: 9, recipe: { name: 'theirs', draft: { 'samples.pixel': 8 } } });
    expect(doc.saving).toBe('saved');
    expect(doc.asked).toBe(null);
  });

  it.each([
    ['mine', 8],
    ['theirs', 16],
  ] as const)('asks which value stands where both changed one, and takes %s', async (side, value) => {
    const doc = useDocument();
    await doc.open(shot);
    const theirs = { ...shot, version: 9, recipe: { ...shot.recipe, name: 'theirs', draft: { 'samples.pixel': 16 } } };
    changedElsewhere(theirs);
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(1500);
    expect(doc.asked?.conflicts).toEqual([{ path: ['recipe', 'draft', 'samples.pixel'], mine: 8, theirs: 16 }]);
    expect(doc.savingText).toBe('Not saved yet');
    // nothing is sent before the answer
    const before = sent.length;
    await vi.advanceTimersByTimeAsync(9000);
    expect(sent.length).toBe(before);
    doc.answer(side);
    await vi.advanceTimersByTimeAsync(1500);
    expect(doc.recipe).toEqual({ name: 'theirs', draft: { 'samples.pixel': value }, final: {} });
    expect(doc.saving).toBe('saved');
  });

  it('is not asked of its own edit whose answer got lost', async () => {
    const doc = useDocument();
    await doc.open(shot);
    let there = shot;
    answer = (change) => {
      if (change.version !== there.version)
        return Promise.reject(new ApiError(409, 'conflict', 'This shot was changed elsewhere meanwhile.'));
      there = { ...there, ...change, version: change.version + 1 };
      serverHas([there]);
      return there.version === 4 ? Promise.reject(new ApiError(0, 'offline', 'gone')) : Promise.resolve(there);
    };
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    expect(doc.saving).toBe('failed');
    doc.setValue('draft', 'samples.pixel', 12);
    await vi.advanceTimersByTimeAsync(9000);
    expect(doc.asked).toBe(null);
    expect(doc.saving).toBe('saved');
    expect(there.recipe.draft['samples.pixel']).toBe(12);
  });

  it('takes an edit back that the server refuses as such', async () => {
    const doc = useDocument();
    await doc.open(shot);
    serverHas([shot]);
    answer = () =>
      Promise.reject(new ApiError(409, 'conflict', 'The shot has frames 0 to 10; frame 40 is none of them.'));
    doc.change({ frame: 40 }, 'frame');
    await vi.advanceTimersByTimeAsync(9000);
    expect(doc.shot?.frame).toBe(0);
    expect(sent.length).toBe(1);
    expect(useNotices().current?.text).toMatch(/frame 40 is none/);
    answer = () => Promise.reject(new ApiError(400, 'bad-input', 'take.shake: too many frames.'));
    doc.change({ rate: 500 }, 'rate');
    await vi.advanceTimersByTimeAsync(9000);
    expect(doc.shot?.rate).toBe(24);
    expect(doc.saving).toBe('saved');
  });
});

describe('an edit that the server does not have', () => {
  const other = { ...shot, id: '6f1e3c1e-0000-4000-8000-000000000003', name: 'two' };
  const offline = (): Promise<Shot> => Promise.reject(new ApiError(0, 'offline', 'The server does not answer.'));
  const again = (change: ShotChange): Promise<Shot> =>
    Promise.resolve({ ...shot, ...change, version: change.version + 1 });
  beforeEach(async () => {
    for (const name of ['localStorage', 'sessionStorage']) vi.stubGlobal(name, storage());
    serverHas([shot, other]);
    await useProjects().load();
  });
  afterEach(() => vi.unstubAllGlobals());

  it('is there after a reload a moment after it was made, with what can be undone', async () => {
    const doc = useDocument();
    await doc.open(shot);
    doc.setValue('draft', 'samples.pixel', 8);
    // the page ends before anything is sent
    doc.leave();
    setActivePinia(createPinia());
    await useProjects().load();
    const page = useDocument();
    await page.open(shot);
    expect(page.recipe?.draft['samples.pixel']).toBe(8);
    page.undo();
    expect(page.recipe?.draft['samples.pixel']).toBe(4);
    page.redo();
    await vi.advanceTimersByTimeAsync(1000);
    expect(page.saving).toBe('saved');
  });

  it('is kept while another shot is looked at, and sent when the server is back', async () => {
    const doc = useDocument();
    await doc.open(shot);
    answer = offline;
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    await doc.open(other);
    await vi.advanceTimersByTimeAsync(10);
    expect(doc.savingText).toBe('Saved; 1 other shot not saved yet');
    answer = again;
    sent.length = 0;
    await doc.sendOthers();
    expect(sent).toHaveLength(1);
    expect(sent[0]).toMatchObject({ version: 3, recipe: { draft: { 'samples.pixel': 8 } } });
    expect(doc.savingText).toBe('Saved');
  });

  it('of another tab is left to it, until it was left behind', async () => {
    const doc = useDocument();
    await doc.open(shot);
    answer = offline;
    doc.setValue('draft', 'samples.pixel', 8);
    // another tab of the browser
    vi.stubGlobal('sessionStorage', storage());
    setActivePinia(createPinia());
    await useProjects().load();
    const tab = useDocument();
    answer = again;
    sent.length = 0;
    await tab.open(other);
    await tab.sendOthers();
    expect(sent).toEqual([]);
    expect(tab.savingText).toBe('Saved');
    vi.setSystemTime(Date.now() + 11_000);
    await tab.sendOthers();
    expect(sent.at(-1)).toMatchObject({ recipe: { draft: { 'samples.pixel': 8 } } });
  });

  it('waits for its shot to be opened where it conflicts', async () => {
    const doc = useDocument();
    await doc.open(shot);
    answer = offline;
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    await doc.open(other);
    const theirs = { ...shot, version: 5, recipe: { ...shot.recipe, draft: { 'samples.pixel': 64 } } };
    useProjects().put(theirs);
    answer = again;
    sent.length = 0;
    await doc.sendOthers();
    expect(sent).toEqual([]);
    expect(doc.savingText).toMatch(/1 other shot not saved yet/);
    await doc.open(theirs);
    expect(doc.asked?.conflicts).toHaveLength(1);
  });

  it('is not lost when made while the last one is on its way and the shot is left', async () => {
    const doc = useDocument();
    await doc.open(shot);
    let release: () => void = () => undefined;
    answer = (change) => new Promise((r) => (release = () => r({ ...shot, ...change, version: 4 })));
    doc.setValue('draft', 'samples.pixel', 8);
    await vi.advanceTimersByTimeAsync(500);
    doc.setValue('draft', 'samples.pixel', 12);
    await doc.open(other);
    answer = again;
    sent.length = 0;
    release();
    await vi.advanceTimersByTimeAsync(50);
    expect(sent.at(-1)).toMatchObject({ version: 4, recipe: { draft: { 'samples.pixel': 12 } } });
    expect(doc.asked).toBe(null);
  });
});

/** One project with these shots. */
function serverHas(shots: Shot[]): void {
  vi.spyOn(api, 'projects').mockResolvedValue([
    { id: shot.id, name: 'p', source: 'file', createdAt: '', scenes: [{ id: shot.sceneId } as never], shots },
  ]);
}

function storage(): Storage {
  const items: Record<string, string> = {};
  const methods = {
    getItem: (k: string) => items[k] ?? null,
    setItem: (k: string, v: string) => void (items[k] = v),
    removeItem: (k: string) => void Reflect.deleteProperty(items, k),
  };
  // its keys are those of what is kept, as a browser's are
  return new Proxy(items, {
    get: (_, k) => methods[k as keyof typeof methods] ?? items[k as string],
  }) as unknown as Storage;
}

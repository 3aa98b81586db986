import { createPinia, setActivePinia } from 'pinia';
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest';
import type { EnvironmentFile, Shot, StoredRig } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';
import { isEnvironmentFile, useEnvironmentFiles } from './useEnvironmentDrop';

const rig = (id: string): StoredRig =>
  ({
    ...{ id, name: id, lights: [], exposureEv: 0 },
    environment: { kind: 'sky', strength: 2, rotationDeg: 40, cut: { x: 1 } },
  }) as unknown as StoredRig;
const shotWith = (rigs: StoredRig[], rigId: string | null = null): Shot =>
  ({
    ...{ id: 's', sceneId: 'c', name: 'one', firstFrame: 0, lastFrame: 10, rate: 24, handles: 0, frame: 0, seed: 1 },
    ...{ recipe: { name: 'r', draft: {}, final: {} }, patches: [], version: 1, thumbnail: null, hint: null },
    ...{ rigs, rigId },
  }) as unknown as Shot;
const made = { hash: 'abc', name: 'dusk.hdr', width: 512, height: 256, notes: ['It has a sun.'] };
const file = new File(['x'], 'dusk.hdr');

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  vi.spyOn(api, 'changeShot').mockImplementation((_id, change) =>
    Promise.resolve({ ...shotWith([]), ...change } as Shot),
  );
});
afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
});
const sends = (answer: () => Promise<EnvironmentFile>) => vi.spyOn(api, 'importEnvironment').mockImplementation(answer);
const arrives = () => sends(() => Promise.resolve(made as unknown as EnvironmentFile));

describe('an environment picture that is brought in', () => {
  it('is known by its name', () => {
    expect(['a.hdr', 'b.EXR', 'c.png', 'exr'].map(isEnvironmentFile)).toEqual([true, true, false, false]);
  });

  it('stands around the rig that is shown, keeps its strength, and goes again with one step back', async () => {
    arrives();
    const document = useDocument();
    await document.open(shotWith([rig('a'), rig('b')], 'b'));
    const files = useEnvironmentFiles();
    await files.bringIn(file);
    const [a, b] = document.shot!.rigs;
    expect(a.environment.kind).toBe('sky');
    expect(b.environment).toMatchObject({ kind: 'picture', picture: 'abc', pictureName: 'dusk.hdr', rotationDeg: 0 });
    expect(b.environment).toMatchObject({ strength: 2 });
    expect('cut' in b.environment).toBe(false);
    expect(files.known['abc']).toEqual(made);
    const said = useNotices().current!;
    expect(said.text).toContain('dusk.hdr (512×256) is around the scene now. It has a sun.');
    said.action!.run();
    expect(document.shot!.rigs[1].environment.kind).toBe('sky');
  });

  it('stands around the first rig where none is chosen', async () => {
    arrives();
    const document = useDocument();
    await document.open(shotWith([rig('a'), rig('b')]));
    await useEnvironmentFiles().bringIn(file);
    expect(document.shot!.rigs.map((r) => r.environment.kind)).toEqual(['picture', 'sky']);
  });

  it('needs a shot and a rig, and says so', async () => {
    const send = arrives();
    const files = useEnvironmentFiles();
    await files.bringIn(file);
    expect(send).not.toHaveBeenCalled();
    expect(useNotices().current?.text).toMatch(/Open a shot first/);
    await useDocument().open(shotWith([]));
    await files.bringIn(file);
    expect(useNotices().current?.text).toMatch(/no rig yet/);
  });

  it('that is too wide is offered at a smaller size', async () => {
    const send = sends(() => Promise.reject(new ApiError(413, 'too-wide', 'It is 16384 wide.')));
    await useDocument().open(shotWith([rig('a')]));
    const files = useEnvironmentFiles();
    await files.bringIn(file);
    expect(files.question).toMatchObject({ message: 'It is 16384 wide.' });
    expect(useNotices().current).toBeNull();
    send.mockResolvedValue(made as unknown as EnvironmentFile);
    await files.accept();
    expect(send).toHaveBeenLastCalledWith(expect.anything(), 4096);
    expect(files.question).toBeNull();
  });

  it('that is damaged is told, changes nothing, and another can be brought in', async () => {
    const send = sends(() => Promise.reject(new ApiError(400, 'bad-file', 'dusk.hdr: it ends early.')));
    const document = useDocument();
    await document.open(shotWith([rig('a')]));
    const files = useEnvironmentFiles();
    await files.bringIn(file);
    expect(useNotices().current).toMatchObject({ flagged: true, text: 'dusk.hdr: it ends early.' });
    expect([document.shot!.rigs[0].environment.kind, files.running]).toEqual(['sky', null]);
    send.mockResolvedValue(made as unknown as EnvironmentFile);
    await files.bringIn(file);
    expect(document.shot!.rigs[0].environment.kind).toBe('picture');
  });

  it('comes one at a time, and not into a shot that was opened meanwhile', async () => {
    let arrive: (f: EnvironmentFile) => void = () => undefined;
    const send = sends(() => new Promise((resolve) => (arrive = resolve)));
    const document = useDocument();
    await document.open(shotWith([rig('a')]));
    const files = useEnvironmentFiles();
    const first = files.bringIn(file);
    await files.bringIn(new File(['y'], 'other.hdr'));
    expect(send).toHaveBeenCalledTimes(1);
    expect(files.running).toBe('dusk.hdr');
    await document.open({ ...shotWith([rig('a')]), id: 'other' });
    arrive(made as unknown as EnvironmentFile);
    await first;
    expect(document.shot!.rigs[0].environment.kind).toBe('sky');
  });
});

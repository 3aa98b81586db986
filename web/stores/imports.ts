/** Bringing a .glb in: one at a time, from any screen, going on while the artist looks elsewhere. */
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import type { ImportProgress, Project } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useProjects } from './projects';

export const useImports = defineStore('imports', () => {
  const projects = useProjects();
  const running = shallowRef<{ name: string; cancel: () => void } | null>(null);
  /** Share of the file that is sent, 0…1; then it is checked, compiled and drawn. */
  const share = ref(0);
  /** How far the server is with it; null while nothing was told. */
  const progress = shallowRef<ImportProgress | null>(null);
  /** What the progress of the running one goes by. */
  let upload: string | null = null;
  const failure = ref<string | null>(null);
  const made = ref<Project | null>(null);

  /** @returns the project, or null when it was refused or cancelled; `failure` says why */
  async function bringIn(file: File | undefined): Promise<Project | null> {
    if (!file || running.value) return null;
    failure.value = null;
    made.value = null;
    if (!/\.glb$/i.test(file.name)) {
      failure.value = `${file.name}: only .glb files can be dropped here. Export the scene as glTF binary (.glb).`;
      return null;
    }
    share.value = 0;
    progress.value = null;
    upload = crypto.randomUUID();
    const request = api.importFile(file, upload, (s) => (share.value = s));
    running.value = { name: file.name, cancel: request.cancel };
    try {
      const project = await request.promise;
      await projects.load();
      made.value = project;
      return project;
    } catch (error) {
      if (!(error instanceof ApiError && error.code === 'cancelled')) failure.value = (error as Error).message;
      return null;
    } finally {
      upload = null;
      running.value = null;
    }
  }
  /** Takes what the server tells of any import. */
  function told(of: string, is: ImportProgress): void {
    if (of === upload) progress.value = is;
  }
  /** What is being done, in words. */
  const doing = computed(() => (share.value < 1 ? 'sending' : stepInWords(progress.value)));
  /** How much of that is done, 0…1; null where that is not known. */
  const done = computed(() => {
    if (share.value < 1) return share.value;
    const { done: n, of } = progress.value ?? { done: 0, of: 0 };
    return of > 1 ? n / of : null;
  });
  return { running, doing, done, failure, made, bringIn, told };
});

/** What is being done with a file that has arrived. */
function stepInWords(progress: ImportProgress | null): string {
  if (!progress) return 'checking';
  const { step, done, of } = progress;
  const part = of > 1 ? ` ${done + 1} of ${of}` : '';
  switch (step) {
    case 'reading':
      return 'checking';
    case 'meshes':
      return `preparing mesh${part}`;
    case 'pictures':
      return `unpacking picture${part}`;
    case 'keeping':
      return 'keeping it';
    case 'drawing':
      return of > 1 ? 'drawing its shots' : 'drawing its shot';
  }
}

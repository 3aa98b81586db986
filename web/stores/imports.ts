/** Bringing a .glb in: one at a time, from any screen, going on while the artist looks elsewhere. */
import { defineStore } from 'pinia';
import { ref, shallowRef } from 'vue';
import type { Project } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useProjects } from './projects';

export const useImports = defineStore('imports', () => {
  const projects = useProjects();
  const running = shallowRef<{ name: string; cancel: () => void } | null>(null);
  /** Share of the file that is sent, 0…1; then it is checked, compiled and drawn. */
  const share = ref(0);
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
    const upload = api.importFile(file, (s) => (share.value = s));
    running.value = { name: file.name, cancel: upload.cancel };
    try {
      const project = await upload.promise;
      await projects.load();
      made.value = project;
      return project;
    } catch (error) {
      if (!(error instanceof ApiError && error.code === 'cancelled')) failure.value = (error as Error).message;
      return null;
    } finally {
      running.value = null;
    }
  }
  return { running, share, failure, made, bringIn };
});

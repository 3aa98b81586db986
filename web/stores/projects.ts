/** Projects with their scenes and shots, as the server knows them. */
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import type { Project, Scene, Shot } from '@daxel/api/schemas';
import { api } from '../api/client';

export const useProjects = defineStore('projects', () => {
  const list = ref<Project[]>([]);
  const loaded = ref(false);
  const failure = ref<string | null>(null);

  const shots = computed(() => list.value.flatMap((p) => p.shots.map((s) => ({ shot: s, project: p }))));

  async function load(): Promise<void> {
    try {
      list.value = await api.projects();
      loaded.value = true;
      failure.value = null;
    } catch (error) {
      failure.value = (error as Error).message;
    }
  }
  function find(shotId: string): { shot: Shot; project: Project; scene: Scene } | undefined {
    for (const project of list.value) {
      const shot = project.shots.find((s) => s.id === shotId);
      const scene = shot && project.scenes.find((s) => s.id === shot.sceneId);
      if (shot && scene) return { shot, project, scene };
    }
    return undefined;
  }
  /** Takes a newer state of a shot in. */
  function put(shot: Shot): void {
    for (const project of list.value) {
      const at = project.shots.findIndex((s) => s.id === shot.id);
      if (at >= 0) project.shots[at] = shot;
    }
  }
  return { list, loaded, failure, shots, load, find, put };
});

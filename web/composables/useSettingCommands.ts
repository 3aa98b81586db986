/** Every setting is found in the list of commands, from any screen, by its name and by what it is good for. */
import { computed } from 'vue';
import { useRoute, useRouter } from 'vue-router';
import { SETTINGS, STAGES } from '@daxel/core/recipe/settings';
import { useCommands } from '../commands/commands';
import { useProjects } from '../stores/projects';
import { shotToOpen } from './useShot';

export function useSettingCommands(): void {
  const route = useRoute();
  const router = useRouter();
  const projects = useProjects();
  /** Of the shot that is looked at, or was last. */
  const shotId = computed(() => (typeof route.params.shotId === 'string' ? route.params.shotId : shotToOpen(projects)));
  const stageLabel = new Map(STAGES.map((s) => [s.id as string, s.label]));
  useCommands(
    SETTINGS.map((s) => ({
      id: `setting ${s.id}`,
      label: s.label,
      group: `Setting of ${stageLabel.get(s.stage)}`,
      words: `${s.id} ${s.does} ${s.lookFor}`,
      searched: true,
      enabled: () => shotId.value !== null,
      run: () => void router.push({ name: 'tune', params: { shotId: shotId.value! }, query: { setting: s.id } }),
    })),
  );
}

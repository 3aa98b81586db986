/** Every setting is found in the list of commands, from any screen, by its name and by what it is good for. */
import { useRoute, useRouter } from 'vue-router';
import { SETTINGS, STAGES } from '@daxel/core/recipe/settings';
import { useCommands } from '../commands/commands';
import { useDocument } from '../stores/document';
import { useProjects } from '../stores/projects';

export function useSettingCommands(): void {
  const route = useRoute();
  const router = useRouter();
  const edits = useDocument();
  const projects = useProjects();
  /** The shot that is looked at, or was last, or the first there is. */
  const shotId = (): string | null => {
    const here = typeof route.params.shotId === 'string' ? route.params.shotId : null;
    return here ?? edits.shot?.id ?? projects.list.flatMap((p) => p.shots)[0]?.id ?? null;
  };
  const stageLabel = new Map(STAGES.map((s) => [s.id as string, s.label]));
  useCommands(
    SETTINGS.map((s) => ({
      id: `setting ${s.id}`,
      label: s.label,
      group: `Setting of ${stageLabel.get(s.stage)}`,
      words: `${s.id} ${s.does} ${s.lookFor}`,
      searched: true,
      enabled: () => shotId() !== null,
      run: () => void router.push({ name: 'tune', params: { shotId: shotId()! }, query: { setting: s.id } }),
    })),
  );
}

/** Bringing an environment picture into the rig that is shown: by drop on any screen or by choosing a file. */
import { defineStore } from 'pinia';
import { ref } from 'vue';
import type { EnvironmentFile } from '@daxel/api/schemas';
import { api, ApiError } from '../api/client';
import { useDocument } from '../stores/document';
import { useNotices } from '../stores/notices';

export const isEnvironmentFile = (name: string): boolean => /\.(hdr|exr)$/i.test(name);

export const useEnvironmentFiles = defineStore('environments', () => {
  const notices = useNotices();
  const document = useDocument();
  const running = ref<string | null>(null);
  /** A picture that is too wide as it is, with what the server said and offered. */
  const question = ref<{ file: File; message: string } | null>(null);
  /** What is known of pictures that came in during this visit, by hash: suns that can be split off. */
  const known = ref<Record<string, EnvironmentFile>>({});
  /** Widest picture that is brought in. */
  const OFFERED = 4096;

  async function bringIn(file: File, width?: number): Promise<void> {
    const shot = document.shot;
    question.value = null;
    if (running.value) return;
    if (!shot) {
      notices.say('Open a shot first: an environment picture goes into the rig that is shown.');
      return;
    }
    running.value = file.name;
    try {
      const made = await api.importEnvironment(file, width);
      known.value = { ...known.value, [made.hash]: made };
      if (document.shot?.id !== shot.id) return;
      if (document.shot.rigs.length === 0) {
        notices.say('This shot has no rig yet: open Light and press “New rig from this”, then drop the picture again.');
        return;
      }
      surround(made);
      const said = made.notes.length > 0 ? ` ${made.notes.join(' ')}` : '';
      notices.say(`${made.name} (${made.width}×${made.height}) is around the scene now.${said}`, {
        label: 'Undo',
        run: document.undo,
      });
    } catch (error) {
      if (error instanceof ApiError && error.code === 'too-wide') question.value = { file, message: error.message };
      else notices.flag(error);
    } finally {
      running.value = null;
    }
  }
  /** Puts a picture around the rig that is shown; how it is seen and mirrored stays as it was. */
  function surround(made: EnvironmentFile): void {
    const shot = document.shot;
    if (!shot) return;
    const rigs = shot.rigs.map((r) =>
      r.id === shot.rigId || (shot.rigId === null && r === shot.rigs[0])
        ? {
            ...r,
            environment: {
              ...r.environment,
              kind: 'picture' as const,
              picture: made.hash,
              pictureName: made.name,
              cut: undefined,
              rotationDeg: 0,
            },
          }
        : r,
    );
    document.change({ rigs: JSON.parse(JSON.stringify(rigs)) as typeof rigs }, `environment ${made.hash}`);
  }
  return {
    running,
    question,
    known,
    bringIn,
    accept: () => question.value && bringIn(question.value.file, OFFERED),
  };
});

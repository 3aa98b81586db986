/** Keeps the shot's small picture true: a while after the draft has settled, a thumbnail goes to the server. */
import { onUnmounted, watch, type Ref } from 'vue';
import type { Shot } from '@daxel/api/schemas';
import { api } from '../api/client';
import type { Picture } from '../render/preview';

const WAIT_MS = 4000;
const WIDTH = 320;

export function useThumbnail(shot: Ref<Shot | null>, settled: Ref<Picture | null>, wanted: () => boolean): void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  /** The first picture of a visit is the one the server has already. */
  let first = true;
  watch(
    () => shot.value?.id,
    () => {
      first = true;
      clearTimeout(timer);
    },
  );
  watch(settled, (picture) => {
    clearTimeout(timer);
    const id = shot.value?.id;
    if (!picture || !id || !wanted()) return;
    if (first) {
      first = false;
      return;
    }
    timer = setTimeout(() => void send(id, picture), WAIT_MS);
  });
  onUnmounted(() => clearTimeout(timer));
}

async function send(shotId: string, picture: Picture): Promise<void> {
  const bitmap = await createImageBitmap(new ImageData(picture.codes, picture.width, picture.height));
  const canvas = new OffscreenCanvas(WIDTH, Math.max(1, Math.round((WIDTH * picture.height) / picture.width)));
  canvas.getContext('2d')?.drawImage(bitmap, 0, 0, canvas.width, canvas.height);
  bitmap.close();
  const blob = await canvas.convertToBlob({ type: 'image/png' });
  // a missing thumbnail is no reason to disturb anyone
  await api.setThumbnail(shotId, blob).catch(() => undefined);
}

/** One line at the foot of the window: what happened, and an action to take it back. */
import { defineStore } from 'pinia';
import { ref } from 'vue';

export interface Notice {
  text: string;
  flagged: boolean;
  action?: { label: string; run: () => void };
}

export const useNotices = defineStore('notices', () => {
  const current = ref<Notice | null>(null);
  const say = (text: string, action?: Notice['action']): void => {
    current.value = { text, flagged: false, action };
  };
  const flag = (error: unknown): void => {
    current.value = { text: error instanceof Error ? error.message : String(error), flagged: true };
  };
  return { current, say, flag };
});

/** Does resizing the face of a light keep what it sends out in all? An artist's habit: kept in the browser. */
import { ref, watch } from 'vue';

const KEY = 'daxel-keeps-total-light';

export const keepsTotal = ref(globalThis.localStorage?.getItem?.(KEY) === 'yes');
watch(keepsTotal, (keeps) => localStorage.setItem(KEY, keeps ? 'yes' : 'no'));

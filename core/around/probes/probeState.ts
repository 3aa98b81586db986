/** What a probe has come to. */
export const PROBE_FREE = 0;
/** It stood in a wall or close to one, and was moved. */
export const PROBE_MOVED = 1;
/** It stands in a wall and found no way out: it repeats what its neighbours see, and is asked where there is no other. */
export const PROBE_BURIED = 2;

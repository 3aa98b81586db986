import type { Layout, Names } from '../tools/layouts.mjs';

export const LIGHT_COMPONENTS: readonly string[];
export const LAYOUTS: readonly Layout[];
export const NAMES: readonly Names[];

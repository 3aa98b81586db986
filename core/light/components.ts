/** What light is made of, and where each part of it stands in a picture's sums. */
import { LIGHT_COMPONENTS } from '@daxel/kernel/generated/layouts/lightComponents';

export { LIGHT_COMPONENTS };
/** SUMS numbers a pixel, summed over samples: light by component, rgb each, coverage, lit share, the rest spare. */
export { SUM_COVERAGE, SUM_LIT, SUM_STRIDE as SUMS } from '@daxel/kernel/generated/layouts/pixelSums';

export type LightComponent = (typeof LIGHT_COMPONENTS)[number];

/** Numbers that all components take together, one behind the other. */
export const LIGHT_NUMBERS = LIGHT_COMPONENTS.length * 3;

/** Where the first of a component's three numbers stands, in every record of light. */
export function componentAt(component: LightComponent): number {
  return LIGHT_COMPONENTS.indexOf(component) * 3;
}

/** Something for each component. */
export function byComponent<T>(make: (component: LightComponent) => T): Record<LightComponent, T> {
  return Object.fromEntries(LIGHT_COMPONENTS.map((c) => [c, make(c)])) as Record<LightComponent, T>;
}

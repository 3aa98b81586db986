export { build, packetCount } from './build';
export { filterColumns, filterRows } from './filters';
export { bindRays, closest, closestMany, reached, shadow } from './rays';

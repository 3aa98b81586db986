export { build, packetCount } from './build';
export { filterColumns, filterRows } from './filters';
export { flipColors, flipOpponents, flipTogether, lengths, mixPlanes, scalePlane } from './flip';
export { bindRays, closest, closestMany, reached, shadow } from './rays';

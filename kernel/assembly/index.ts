export { build, packetCount } from './build';
export { bindRays, closest, closestMany, reached, shadow } from './rays';

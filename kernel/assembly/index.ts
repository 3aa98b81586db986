export { bindStructure, growPart, growTop, measureTriangles } from './build';
export { fitPart, fitTop, nodeCount, structureCost } from './fit';
export { filterBoth, filterColumns, filterRows } from './filters';
export { regionSums } from './regions';
export { mixEdges, widenColumns, widenRows } from './mixed';
export { followRows } from './follow';
export { adapt, anyAbove, enlarge, respond, shrink, slopes, toCandela, together, weigh } from './flicker';
export { flipColors, flipOpponents, flipTogether } from './flip';
export { flipBlurs, flipFeatures } from './flipFilters';
export { bindRays, closest, reached, shadow } from './rays';
export { bindEmitters } from './emitters';
export { bindShadowRays } from './shadowRay';
export {
  bindPaths,
  bringHome,
  intersectPaths,
  lookThroughMiddle,
  occludePaths,
  setLens,
  shadePaths,
  startPaths,
} from './paths';
export { bindScene } from './scenery';
export { bindRow } from './row';
export { bindTriangles, bindCamera } from './surface';
export { bindMaterials } from './material';
export { bindShadows } from './shadowMaps';
export { bindArea } from './areaLight';
export { bindLights, setLit } from './lighting';
export { bindEnvironment, setColor } from './environment';
export { bindPicture, shadeTile } from './shade';
export { bindSky } from './sky';
export { lookAround, occludeRow } from './occlusion';
export { measureChunk } from './chunkBounds';
export { binChunk } from './binning';
export { bindCoverage } from './ready';
export { drawDepths, drawLayer, drawSheets, drawTriangles } from './coverage';
export { fillSquare, finishDepths } from './squares';
export { transform } from './transform';
export { encodeRows, gatherBeauty } from './develop';
export { addGlow, halveGlow } from './glow';
export { denoiseLevel } from './denoise';
export { toHalves } from './half';
export { restoreBytes } from './bytes';

/** A light's record and that of each of its shadow maps. */
export * from './layouts/arrivals';
export * from './layouts/light';
export * from './layouts/lightKinds';
export * from './layouts/mapView';

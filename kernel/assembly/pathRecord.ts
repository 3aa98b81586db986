/** How paths in flight, their shadow rays and the lights they ask lie in the memory, bytes. */
export * from './layouts/path';
export * from './layouts/pathLight';
export * from './layouts/shadowRay';

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function d(at: usize): f64 {
  return load<f64>(at);
}

/** Writes three doubles. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function put3(at: usize, x: f64, y: f64, z: f64): void {
  store<f64>(at, x);
  store<f64>(at, y, 8);
  store<f64>(at, z, 16);
}

/** Adds to three doubles. */
// @ts-expect-error: a decorator of AssemblyScript
@inline
export function add3(at: usize, x: f64, y: f64, z: f64): void {
  put3(at, d(at) + x, d(at + 8) + y, d(at + 16) + z);
}

// @ts-expect-error: a decorator of AssemblyScript
@inline
export function luminance(r: f64, g: f64, b: f64): f64 {
  return 0.2126 * r + 0.7152 * g + 0.0722 * b;
}

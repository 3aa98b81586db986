/** Names that the server answers to. */
import { hostname, networkInterfaces } from 'node:os';

/** Whether only this machine reaches an address. */
export function isLoopback(host: string): boolean {
  return host === 'localhost' || host === '::1' || host === '[::1]' || /^127(\.\d{1,3}){3}$/.test(host);
}

/**
 * @param host that it listens at
 * @param allowed further names, given by the artist
 */
export function namesOf(host: string, allowed: readonly string[]): (name: string) => boolean {
  const names = new Set(allowed.map((name) => name.toLowerCase()));
  if (!isLoopback(host)) {
    for (const name of [host, hostname(), `${hostname()}.local`, ...addresses()]) names.add(name.toLowerCase());
  }
  return (name) => isLoopback(name) || names.has(name.toLowerCase());
}

/** Where others reach a server that listens at an address, or at all of them. */
export function reachedAt(host: string): string {
  const all = ['0.0.0.0', '::'].includes(host);
  return all ? (addresses().find((a) => !isLoopback(a) && !a.startsWith('[')) ?? hostname()) : bracketed(host);
}

function addresses(): string[] {
  return Object.values(networkInterfaces()).flatMap((all) => (all ?? []).map((one) => bracketed(one.address)));
}

function bracketed(address: string): string {
  return address.includes(':') ? `[${address}]` : address;
}

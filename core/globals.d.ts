/** The few platform functions that browsers and Node.js have in common and that core may use. */
declare class TextEncoder {
  encode(text: string): Uint8Array;
}
declare class TextDecoder {
  decode(bytes: Uint8Array): string;
}
declare function structuredClone<T>(value: T): T;

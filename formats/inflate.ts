/** Unpacks what is packed in zlib's format (RFC 1950), giving at most so many bytes; handed in, for it is another in each place. */
export type Inflate = (packed: Uint8Array, limit: number) => Uint8Array;

/** A place in the log of a database, as clients carry it: of two, the later one is the greater text. */
export const positionText = (position: bigint): string => position.toString(16).padStart(16, '0');

/** Undefined for what is none. */
export const positionFrom = (text: string): bigint | undefined =>
  /^[0-9a-f]{16}$/.test(text) ? BigInt(`0x${text}`) : undefined;

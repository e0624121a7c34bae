/** Bytes of a table that are not what they should be. The message names what was wrong. */
export class DamagedTableError extends Error {}

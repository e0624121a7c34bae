/** Arrays of twice the length that begin alike. */

export function growBytes(array: Uint8Array): Uint8Array<ArrayBuffer> {
  const larger = new Uint8Array(array.length * 2);
  larger.set(array);
  return larger;
}

export function growWords(array: Int32Array): Int32Array<ArrayBuffer> {
  const larger = new Int32Array(array.length * 2);
  larger.set(array);
  return larger;
}

export function growFloats(array: Float64Array): Float64Array<ArrayBuffer> {
  const larger = new Float64Array(array.length * 2);
  larger.set(array);
  return larger;
}

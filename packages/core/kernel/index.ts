/** The parts of an import that look at each byte, for WebAssembly. `../src/kernel/kernel.ts` says what the calls are. */
export { allocate, release } from './blocks';
export {
  bytesOf,
  cellsOfLines,
  codesOf,
  endsOf,
  kindsOfLines,
  newDictionary,
  numBytesOf,
  numberOf,
  numEntriesOf,
  openLines,
  releaseDictionary,
} from './dictionary';
export {
  cellsOfPiece,
  kindsOfPiece,
  numbersOfPiece,
  numPassedLines,
  numRowsOfPiece,
  openFormat,
  openPiece,
  shapesOfPiece,
  takeLines,
  timesOfPiece,
} from './ncsa';

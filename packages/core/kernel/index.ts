/** The parts of an import that look at each byte, for WebAssembly. `../src/kernel/kernel.ts` documents the calls. */
export { allocate, release } from './blocks';
export {
  cellsOfLines,
  codesFor,
  dictionaryOf,
  kindsOfLines,
  newColumn,
  openLines,
  releaseColumn,
  setCode,
  setColumnRows,
  setCodes,
  takeCodes,
} from './column';
export { bytesOf, endsOf, numBytesOf, numberOf, numEntriesOf, setDictionarySizes } from './dictionary';
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

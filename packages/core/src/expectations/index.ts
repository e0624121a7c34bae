export { coverByExpectations, type ExpectationCoverage } from './coverage.js';
export {
  fillMatrix,
  labelOf,
  type Matrix,
  type MatrixCell,
  type MatrixClient,
  MatrixError,
  type MatrixRequest,
} from './matrix.js';
export { type ExpectationResult, runExpectations } from './run-expectations.js';

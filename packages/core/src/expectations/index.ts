export { type ExpectationResult, runExpectations } from './run-expectations.js';

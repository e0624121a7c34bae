export { printJunit } from './junit.js';
export { type ExpectationResult, runExpectations } from './run-expectations.js';

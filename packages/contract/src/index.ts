export { listAll, ServiceClient, type ClientOptions, type ListPage, type UploadBody } from './client.js';
export { PROBLEMS, ServiceError, type Problem, type ProblemCode } from './problems.js';
export * from './types.js';
export * from './replay-types.js';
export { VERSION } from './version.js';
export * from './reference-types.js';
export type { AnswerName, AnswerOf, Answers, PasswordReset, Refreshed } from './answers.js';

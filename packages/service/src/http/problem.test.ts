import { PROBLEMS, type Problem } from '@jadefence/contract';
import express from 'express';
import { pino } from 'pino';
import request from 'supertest';
import { describe, expect, it } from 'vitest';
import { handleErrors, ProblemError } from './problem.js';

/** What a caller sees when a handler throws. */
async function problemFor(error: unknown): Promise<Problem & { type: string }> {
  const app = express();
  app.get('/', () => {
    throw error;
  });
  app.use(handleErrors(pino({ level: 'silent' })));
  const response = await request(app).get('/');
  expect(response.type).toBe('application/problem+json');
  const problem = response.body as Problem;
  expect(response.status).toBe(problem.status);
  return problem;
}

describe('an error', () => {
  it('of the catalogue is answered whole, with its status', async () => {
    const error = new ProblemError('bad-input', 'The port is no number.', {
      hint: 'Write a number.',
      errors: [{ place: 'port', message: 'no number' }],
    });
    expect(await problemFor(error)).toEqual({
      type: 'https://jadefence.example/problems/bad-input',
      title: PROBLEMS['bad-input'].title,
      status: 422,
      detail: 'The port is no number.',
      code: 'bad-input',
      hint: 'Write a number.',
      errors: [{ place: 'port', message: 'no number' }],
    });
  });

  it.each([
    [Object.assign(new Error('connect'), { code: 'ECONNREFUSED' }), 'database-unreachable'],
    [new Error('Connection terminated unexpectedly'), 'database-unreachable'],
    [Object.assign(new Error('big'), { type: 'entity.too.large' }), 'too-large'],
    [Object.assign(new Error('gone'), { type: 'request.aborted' }), 'upload-incomplete'],
    [Object.assign(new Error('duplicate key'), { code: '23505' }), 'busy'],
    [new URIError('%'), 'bad-input'],
  ])('that is recognised has its own code: %s', async (error, code) => {
    expect((await problemFor(error)).code).toBe(code);
  });

  it('that we did not foresee does not show its inside', async () => {
    const problem = await problemFor(new Error('password=hunter2 in /srv/secret'));
    expect([problem.code, problem.status]).toEqual(['internal', 500]);
    expect(JSON.stringify(problem)).not.toMatch(/hunter2|secret/);
  });
});

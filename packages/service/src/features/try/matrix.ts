import { MatrixInput, RulesForQuery } from '@jadefence/contract/server';
import { fillMatrix, MatrixError, type Matrix } from '@jadefence/core/expectations';
import { requestOfApplication } from '@jadefence/core/findings';
import { rulesFor, type RulesAtGate } from '@jadefence/core/explain';
import { parseAddress } from '@jadefence/core/request';
import { suggestNearest } from '@jadefence/core/text';
import { ProblemError } from '../../http/problem.js';
import { threadRoute, type Route } from '../../http/route.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Revisions } from '../revisions/revisions.js';

export function matrixRoutes(revisions: Revisions, referenceSnapshots: ReferenceSnapshots): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/rules-for',
      summary: 'List the rules that can apply to a client, and what each still needs',
      answer: 'RulesAtGate[]',
      access: 'viewer',
      query: RulesForQuery,
      handle: async ({ query: { client: text, user, at, gate, against } }): Promise<RulesAtGate[]> => {
        const client = parseAddress(text.trim());
        if (!client) throw new ProblemError('bad-request', `Found "${text}", expected an address such as 198.18.4.7.`);
        const rulebook = await revisions.rulebook(against ?? (await revisions.defaultAgainst()));
        const gates = rulebook.gates.map(({ statement }) => statement.name);
        if (gate !== undefined && !gates.includes(gate))
          throw new ProblemError('bad-input', `No gate is named "${gate}".`, {
            hint: suggestNearest(gate, gates) ?? `The gates are: ${gates.join(', ')}.`,
          });
        const { referenceData } = await referenceSnapshots.loadCurrent();
        const known = { client, user, ...(at === undefined ? {} : { atUnixMs: Date.parse(at) }) };
        return rulesFor({ rulebook, ...referenceData }, known, gate);
      },
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/matrix',
      summary: 'Judge each of some clients at each of some destinations',
      answer: 'Matrix',
      access: 'viewer',
      body: MatrixInput,
      handle: async ({ body: { clients, to, at, method, against } }): Promise<Matrix> => {
        const rulebook = await revisions.rulebook(against ?? (await revisions.defaultAgainst()));
        const { referenceData } = await referenceSnapshots.loadCurrent();
        const atUnixMs = at ? at.map((time) => Date.parse(time)) : [Date.now()];
        try {
          return fillMatrix({ rulebook, ...referenceData }, { clients, to, atUnixMs, method }, requestOfApplication);
        } catch (error) {
          if (!(error instanceof MatrixError)) throw error;
          throw new ProblemError('bad-request', error.message, { hint: error.hint });
        }
      },
    }),
  ];
}

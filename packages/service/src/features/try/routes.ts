import type { Tried } from '@jadefence/contract';
import { TryRequestInput } from '@jadefence/contract/server';
import { explainRequest, renderShownPage, whyNot } from '@jadefence/core/explain';
import { buildSyntheticRecord, normalizeRequest, type SyntheticField } from '@jadefence/core/request';
import { suggestNearest } from '@jadefence/core/text';
import { ProblemError } from '../../http/problem.js';
import { threadRoute, type Route } from '../../http/route.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Revisions } from '../revisions/revisions.js';

export function tryRoutes(revisions: Revisions, referenceSnapshots: ReferenceSnapshots): Route[] {
  return [
    threadRoute('rules', {
      method: 'post',
      path: '/try',
      summary: 'Try a synthetic request',
      answer: 'Tried',
      access: 'viewer',
      body: TryRequestInput,
      handle: async ({ body }): Promise<Tried> => {
        const atUnixMs = body.at === undefined ? Date.now() : Date.parse(body.at);
        const request = { ...body, fields: fieldsOf(body), atUnixMs };
        const { record, problems } = buildSyntheticRecord(request);
        if (!record) {
          throw new ProblemError('bad-request', problems.map(({ message }) => message).join(' '), {
            errors: problems.map(({ part, message }) => ({ place: part, message })),
          });
        }
        const against = body.against ?? (await revisions.defaultAgainst());
        const rulebook = await revisions.rulebook(against);
        const gates = rulebook.gates.map(({ statement }) => statement.name);
        if (body.gate !== undefined && !gates.includes(body.gate))
          throw new ProblemError('bad-input', `No gate is named "${body.gate}".`, {
            hint: suggestNearest(body.gate, gates) ?? `The gates are: ${gates.join(', ')}.`,
          });
        const context = { rulebook, gate: body.gate, ...(await referenceSnapshots.loadCurrent()).referenceData };
        const explanation = explainRequest(context, normalizeRequest(record));
        const answer = body.whyNot === undefined ? undefined : whyNot(context, request, body.whyNot);
        if (body.whyNot !== undefined && !answer)
          throw new ProblemError('unknown-part', `There is no rule "${body.whyNot}".`, {
            hint: 'Name it as fence/rule.',
          });
        const pageHtml = renderShownPage(explanation, rulebook);
        return {
          ...explanation,
          ...(pageHtml === undefined ? {} : { pageHtml }),
          revision: against === 'draft' ? null : against,
          draftDiffers: await revisions.draftDiffers(against),
          ...(answer ? { whyNot: answer } : {}),
        };
      },
    }),
  ];
}

function fieldsOf({ headers = [], user, peer }: TryRequestInput): SyntheticField[] {
  return [
    ...headers.map(({ name, value }) => ({ field: 'header', parameter: name.toLowerCase(), value })),
    ...(user === undefined ? [] : [{ field: 'user', value: user }]),
    ...(peer === undefined ? [] : [{ field: 'peer', value: peer }]),
  ];
}

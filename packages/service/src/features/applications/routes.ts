import { IdentifyInput } from '@jadefence/contract/server';
import { identifyApplications } from '@jadefence/core/explain';
import { buildSyntheticFlow, normalizeRequest } from '@jadefence/core/request';
import { threadRoute, type Route } from '../../http/route.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Drafts } from '../draft/draft.js';
import { listApplications } from './applications.js';

export function applicationRoutes(referenceSnapshots: ReferenceSnapshots, drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/applications',
      summary: 'List the applications of the draft',
      answer: 'ApplicationInfo[]',
      access: 'viewer',
      handle: async () => listApplications(await drafts.configuration()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/applications/identify',
      summary: 'Identify the application of some traffic',
      answer: 'Identified',
      access: 'viewer',
      body: IdentifyInput,
      handle: async ({ body }) => {
        const rulebook = await drafts.rulebook();
        const request = normalizeRequest(buildSyntheticFlow(body, Date.now()));
        return identifyApplications({ rulebook, ...(await referenceSnapshots.loadCurrent()).referenceData }, request);
      },
    }),
  ];
}

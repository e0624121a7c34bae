import { DiscardInput, EditFindingsInput, EditsInput, ImportFencesInput } from '@jadefence/contract/server';
import { STARTING_POINTS, type Edit } from '@jadefence/core/edit';
import { runExpectations } from '@jadefence/core/expectations';
import { sendEvents } from '../../http/events.js';
import { route, threadRoute, type Route } from '../../http/route.js';
import { expectedVersion, setETag } from '../../http/version.js';
import type { ReferenceSnapshots } from '../../reference/reference-snapshots.js';
import type { Drafts } from './draft.js';
import type { DraftWatch } from './news.js';
import type { DraftReviews } from './review.js';

export function draftRoutes(
  drafts: Drafts,
  watch: DraftWatch,
  reviews: DraftReviews,
  referenceSnapshots: ReferenceSnapshots,
): Route[] {
  return [
    route({
      method: 'get',
      path: '/draft/events',
      summary: 'Follow the draft (server-sent events)',
      answer: 'DraftNews~',
      access: 'viewer',
      handle: ({ response, signal }) => sendEvents(response, watch.follow(signal)),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft',
      summary: 'Show the draft',
      answer: 'Draft',
      access: 'viewer',
      handle: async (context) => setETag(context, await drafts.show()),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/files',
      summary: 'Read the draft as text',
      answer: 'DraftSources',
      access: 'viewer',
      handle: async (context) => setETag(context, await drafts.sources()),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/files/preview',
      summary: 'Preview an import of fence files',
      answer: 'ImportPreview',
      access: 'viewer',
      body: ImportFencesInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.preview(body, body.isMerge),
    }),
    threadRoute('rules', {
      method: 'put',
      path: '/draft/files',
      summary: 'Import fence files into the draft',
      answer: 'Draft',
      access: 'editor',
      body: ImportFencesInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        setETag(context, await drafts.import(body, body.isMerge, expectedVersion(context), actor)),
    }),
    ...editRoutes(drafts, reviews, referenceSnapshots),
  ];
}

function stepRoutes(drafts: Drafts): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/draft/steps',
      summary: 'Show what you can undo and redo',
      answer: 'DraftSteps',
      access: 'viewer',
      handle: ({ actor }) => drafts.steps(actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/undo',
      summary: 'Undo your latest edit of the draft',
      answer: 'EditResult',
      access: 'editor',
      handle: ({ actor }) => drafts.takeStep('undo', actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/redo',
      summary: 'Redo the edit that you undid last',
      answer: 'EditResult',
      access: 'editor',
      handle: ({ actor }) => drafts.takeStep('redo', actor),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/discard',
      summary: 'Discard changes of the draft',
      answer: 'EditResult',
      access: 'editor',
      body: DiscardInput,
      handle: async ({ body, actor, ...context }) =>
        setETag(context, await drafts.discard(body.only, expectedVersion(context), actor)),
    }),
  ];
}

function editRoutes(drafts: Drafts, reviews: DraftReviews, referenceSnapshots: ReferenceSnapshots): Route[] {
  return [
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits',
      summary: 'Edit the draft',
      answer: 'EditResult',
      access: 'editor',
      body: EditsInput,
      hasLargeBody: true,
      handle: async ({ body, actor, ...context }) =>
        setETag(context, await drafts.edit(body.edits as Edit[], expectedVersion(context), actor)),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits/preview',
      summary: 'Preview edits of the draft',
      answer: 'EditResult',
      access: 'viewer',
      body: EditsInput,
      hasLargeBody: true,
      handle: ({ body }) => drafts.previewEdits(body.edits as Edit[]),
    }),
    ...stepRoutes(drafts),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/changes',
      summary: 'Show what publishing would change',
      answer: 'DraftChanges',
      access: 'viewer',
      handle: () => drafts.changes(),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/findings',
      summary: 'Review the draft',
      answer: 'Review',
      access: 'viewer',
      handle: () => reviews.current(),
    }),
    threadRoute('rules', {
      method: 'post',
      path: '/draft/edits/findings',
      summary: 'Review one rule as edits would make it',
      answer: 'Review',
      access: 'viewer',
      body: EditFindingsInput,
      hasLargeBody: true,
      handle: ({ body }) => reviews.afterEdits(body.edits as Edit[], body.rule),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/draft/expectations',
      summary: 'Run the expectations of the draft',
      answer: 'ExpectationResult[]',
      access: 'viewer',
      handle: async () =>
        runExpectations({
          rulebook: await drafts.rulebook(),
          ...(await referenceSnapshots.loadCurrent()).referenceData,
        }),
    }),
    threadRoute('rules', {
      method: 'get',
      path: '/starting-points',
      summary: 'List templates of fences',
      answer: 'StartingPoint[]',
      access: 'viewer',
      handle: async () => STARTING_POINTS,
    }),
  ];
}

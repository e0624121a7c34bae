import { MaskingInput, UnmaskInput } from '@jadefence/contract/server';
import { ProblemError } from '../../http/problem.js';
import { route, type Route } from '../../http/route.js';
import type { Masking } from './masking.js';

const MINUTE_MS = 60_000;

export function maskingRoutes(masking: Masking): Route[] {
  return [
    route({
      method: 'get',
      path: '/masking',
      summary: 'Show which fields of requests are masked',
      answer: 'Masking',
      access: 'viewer',
      handle: ({ actor, request }) => masking.show(actor, request.session.unmaskedUntilUnixMs),
    }),
    route({
      method: 'put',
      path: '/masking',
      summary: 'Set which fields of requests are masked',
      answer: 'Masking',
      access: 'administrator',
      body: MaskingInput,
      handle: ({ body, actor }) => masking.set(body.masks, actor),
    }),
    route({
      method: 'post',
      path: '/session/unmask',
      summary: 'Show true values in this session for a while; recorded in the audit trail',
      answer: 'Masking',
      access: 'administrator',
      body: UnmaskInput,
      handle: async ({ body, actor, request }) => {
        if (actor.tokenId !== undefined)
          throw new ProblemError('bad-input', 'A token shows true values by its own right, not for a while.', {
            hint: 'Create a token with the right unmask: jadefence login --unmask.',
          });
        await masking.recordUnmask(actor, body);
        const until = Date.now() + body.minutes * MINUTE_MS;
        request.session.unmaskedUntilUnixMs = until;
        return masking.show({ ...actor, isUnmasked: true }, until);
      },
    }),
    route({
      method: 'delete',
      path: '/session/unmask',
      summary: 'Mask again in this session',
      answer: 'Masking',
      access: 'viewer',
      handle: ({ actor, request }) => {
        delete request.session.unmaskedUntilUnixMs;
        return masking.show({ ...actor, isUnmasked: false });
      },
    }),
  ];
}

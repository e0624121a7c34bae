import { NameParams, PassphraseInput } from '@jadefence/contract/server';
import { threadRoute, type Route } from '../../http/route.js';
import type { Passphrases } from './passphrases.js';

export function passphraseRoutes(passphrases: Passphrases): Route[] {
  return [
    threadRoute('rules', {
      method: 'get',
      path: '/passphrases',
      summary: 'List passphrases',
      answer: 'PassphraseInfo[]',
      access: 'viewer',
      handle: () => passphrases.list(),
    }),
    threadRoute('rules', {
      method: 'put',
      path: '/passphrases/:name',
      summary: 'Set a passphrase',
      access: 'editor',
      params: NameParams,
      body: PassphraseInput,
      handle: ({ params, body, actor }) => passphrases.set(params.name, body.passphrase, actor),
    }),
    threadRoute('rules', {
      method: 'delete',
      path: '/passphrases/:name',
      summary: 'Delete a passphrase',
      access: 'editor',
      params: NameParams,
      handle: ({ params, actor }) => passphrases.remove(params.name, actor),
    }),
  ];
}

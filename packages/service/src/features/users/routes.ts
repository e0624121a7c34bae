import type { Session } from '@jadefence/contract';
import {
  SignInTokenInput,
  IdParams,
  NewPasswordInput,
  NewTokenInput,
  SignInInput,
  UserParams,
} from '@jadefence/contract/server';
import type { Request } from 'express';
import { route, type Route } from '../../http/route.js';
import type { Users } from './users.js';

export function userRoutes(users: Users): Route[] {
  return [
    route({
      method: 'post',
      path: '/session',
      summary: 'Sign in with a session cookie',
      answer: 'Session',
      access: 'public',
      body: SignInInput,
      handle: async ({ body, request }): Promise<Session> => {
        const { userId, name, role } = await users.checkPassword(body.name, body.password, request.ip ?? '');
        await renewSession(request);
        request.session.userId = userId;
        request.session.startedAtUnixMs = Date.now();
        return { name, role };
      },
    }),
    route({
      method: 'delete',
      path: '/session',
      summary: 'Sign out, or revoke the token in use',
      access: 'viewer',
      handle: async ({ request, actor }) => {
        await users.recordSignOut(actor);
        return actor.tokenId === undefined ? endSession(request) : users.revokeToken(actor, actor.tokenId);
      },
    }),
    route({
      method: 'get',
      path: '/session',
      summary: 'Show the signed-in user',
      answer: 'Session',
      access: 'viewer',
      handle: async ({ actor }): Promise<Session> => ({ name: actor.name, role: actor.role }),
    }),
    route({
      method: 'post',
      path: '/session/tokens',
      summary: 'Sign in and create a token',
      answer: 'CreatedToken',
      access: 'public',
      body: SignInTokenInput,
      status: 201,
      handle: async ({ body, request }) =>
        users.createToken(await users.checkPassword(body.signInName, body.password, request.ip ?? ''), body),
    }),
    route({
      method: 'put',
      path: '/session/password',
      summary: 'Change the password of the signed-in user; their other sessions end',
      access: 'viewer',
      body: NewPasswordInput,
      handle: ({ body, actor, request }) =>
        users.changePassword(actor, body, { from: request.ip ?? '', sessionId: request.sessionID }),
    }),
    ...tokenRoutes(users),
  ];
}

function tokenRoutes(users: Users): Route[] {
  return [
    route({
      method: 'get',
      path: '/tokens',
      summary: 'List tokens',
      answer: 'AccessToken[]',
      access: 'administrator',
      handle: () => users.listTokens(),
    }),
    route({
      method: 'post',
      path: '/tokens',
      summary: 'Create a token',
      answer: 'CreatedToken',
      access: 'administrator',
      body: NewTokenInput,
      status: 201,
      handle: ({ body, actor }) => users.createToken(actor, body),
    }),
    route({
      method: 'delete',
      path: '/tokens/:id',
      summary: 'Revoke a token',
      access: 'administrator',
      params: IdParams,
      handle: ({ params, actor }) => users.revokeToken(actor, params.id),
    }),
    route({
      method: 'post',
      path: '/users/:name/password-reset',
      summary: 'Reset the password of a user',
      answer: 'PasswordReset',
      access: 'administrator',
      params: UserParams,
      handle: ({ params, actor }) => users.resetPassword(actor, params.name),
    }),
  ];
}

/** A session that was there before the sign-in must not become a signed-in one. */
function renewSession(request: Request): Promise<void> {
  return new Promise((resolve, reject) =>
    request.session.regenerate((error) => (error ? reject(error as Error) : resolve())),
  );
}

function endSession(request: Request): Promise<undefined> {
  return new Promise((resolve, reject) =>
    request.session.destroy((error) => (error ? reject(error as Error) : resolve(undefined))),
  );
}

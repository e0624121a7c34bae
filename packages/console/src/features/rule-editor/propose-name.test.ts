import { parseRuleText } from '@jadefence/core/edit';
import { expect, it } from 'vitest';
import { proposeName } from './propose-name.js';

it.each([
  ['block when path under /login', 'block-login'],
  ['limit 20 per 5m by client when path under /login, /account and client in offices', 'limit-login-account'],
  ['block when country in DE, FR, NO', 'block-de-fr'],
  ['allow outright when not client in offices and host = shop.example', 'allow-shop-example'],
  ['observe when header "x-key" present', 'observe-header'],
  ['block when path under /', 'block'],
  ['block when always', 'block-2'],
])('%s is called %s', (text, name) => {
  const taken = new Set(text.endsWith('always') ? ['block'] : []);
  expect(proposeName(parseRuleText(`rule r ${text}`).rule!, taken)).toBe(name);
});

import { joinWords } from '../language/sentence.js';
import type { Explanation } from './explain.js';

const PARTS = ['method', 'host', 'path'] as const;

/**
 * What a request asks for, as far as it is known, and in words what of that is not: `GET shop.example/sale`, or
 * `shop.example` and `method and path`. Either may be empty.
 */
export function describeAsked(request: Explanation['request']): { readonly text: string; readonly unknown: string } {
  const [method, host, path] = PARTS.map((part) => {
    const shown = request[part];
    return shown.kind === 'known' ? shown.text : '';
  });
  return {
    text: [method, `${host}${path}`].filter(Boolean).join(' '),
    unknown: joinWords(
      PARTS.filter((part) => request[part].kind === 'unknown'),
      'and',
    ),
  };
}

import type { TrafficFinding } from '@jadefence/core/traffic';
import type { Streams } from '../output.js';
import { coloursFor } from './text.js';

export function renderTrafficFinding(
  { id, level, message, hint, evidence, where }: TrafficFinding,
  streams: Streams,
): string {
  const colours = coloursFor(streams);
  const paint = level === 'warning' ? colours.yellow : colours.dim;
  return [
    `${paint(level)}  ${message} [${id}]`,
    ...[...evidence, hint, ...(where === undefined ? [] : [`Its requests: --where '${where}'`])].map(
      (line) => `    ${line}`,
    ),
  ].join('\n');
}

import type { ChunkRows } from '../columns/chunk.js';
import { viewRequest } from '../decide/gate.js';
import type { EvaluationContext } from '../decide/interpreter.js';
import type { LogRecord } from '../request/record.js';
import { normalizeRequest } from '../request/request.js';

/** Requests of a chunk by the country of the client, as the gate that covers each resolves it; `unknown` where there is none. */
export function countCountries(context: EvaluationContext, rows: ChunkRows): Map<string, number> {
  const counts = new Map<string, number>();
  for (let row = 0; row < rows.numRows; row += 1) {
    const request = normalizeRequest(rows.row(row) as LogRecord);
    const client = viewRequest(context, request)?.client ?? request.client;
    const country = (client && context.countries?.find(client).country) ?? 'unknown';
    counts.set(country, (counts.get(country) ?? 0) + 1);
  }
  return counts;
}

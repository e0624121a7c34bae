/** How long bytes wait, by going through all that passed before. */
import ipaddr from 'ipaddr.js';
import type { ThrottleAction } from '../language/tree.js';

/** A request that a throttle metered. */
export interface Passed {
  readonly key: string;
  readonly t: number;
  readonly bytes: number;
}

type Values = readonly string[] | undefined;

interface Context {
  readonly evaluate: (field: string, parameter?: string) => Values;
  readonly t: number;
  readonly memory: { readonly passed: Passed[] };
}

/** How long the bytes would wait, from all that passed before under the key; undefined where it, or they, are unknown. */
export function waitOf(
  action: ThrottleAction,
  counter: readonly string[],
  { evaluate, t, memory: { passed: all } }: Context,
): number | undefined {
  const parts = action.keys.map((key) =>
    key.kind === 'client' ? cut(evaluate('client'), key.bits4, key.bits6) : evaluate(key.field, key.parameter),
  );
  const bytes = evaluate(action.direction === 'up' ? 'from-client' : 'to-client');
  if (parts.includes(undefined) || bytes === undefined) return undefined;
  const key = JSON.stringify([...counter, parts]);
  all.push({ key, t, bytes: Number(bytes[0] ?? 0) });
  let level = BigInt(action.burstBytes) * 1000n;
  let last = Number.NaN;
  for (const passed of all) {
    if (passed.key !== key) continue;
    if (!Number.isNaN(last)) level += BigInt(action.bytesPerSecond) * BigInt(passed.t - last);
    if (level > BigInt(action.burstBytes) * 1000n) level = BigInt(action.burstBytes) * 1000n;
    level -= 1000n * BigInt(passed.bytes);
    last = passed.t;
  }
  let wait = 0n;
  if (level < 0n) wait = -level / BigInt(action.bytesPerSecond);
  if (level < 0n && wait * BigInt(action.bytesPerSecond) < -level) wait += 1n;
  return Math.min(Number(wait), Number.MAX_SAFE_INTEGER);
}

export function cut(client: Values, bits4: number, bits6: number): Values {
  return client?.map((text) => {
    const address = ipaddr.parse(text);
    const bits = address.kind() === 'ipv4' ? bits4 : bits6;
    const bytes = address.toByteArray();
    return bytes
      .map((byte, index) => byte & (0xff << (8 - Math.max(0, Math.min(8, bits - index * 8)))) & 0xff)
      .join('.');
  });
}

import type { TryRequest } from '@jadefence/contract';
import type { AddressState } from '../../address-state.js';

/** A synthetic request as its form holds it; empty where nothing is written. */
export interface TryValues {
  readonly client: string;
  readonly url: string;
  readonly method: string;
  /** Another client, which is tried with the same request. */
  readonly control: string;
  /** Milliseconds since the epoch; now where absent. */
  readonly atUnixMs?: number;
  readonly gate: string;
  readonly user: string;
  readonly peer: string;
  readonly headers: readonly { readonly name: string; readonly value: string }[];
}

/** What an address requests. */
export function valuesOf(get: AddressState['get']): TryValues {
  return {
    client: get('client') ?? '',
    url: get('url') ?? '',
    method: get('method') ?? '',
    control: get('control') ?? '',
    gate: '',
    user: '',
    peer: '',
    headers: [],
  };
}

export function requestOf({ client, url, method, atUnixMs, gate, user, peer, headers }: TryValues): TryRequest {
  const written = headers.filter(({ name }) => name.trim() !== '');
  return {
    client: client.trim(),
    url: url.trim(),
    ...optional('method', method),
    ...optional('gate', gate),
    ...optional('user', user),
    ...optional('peer', peer),
    ...(atUnixMs === undefined ? {} : { at: new Date(atUnixMs).toISOString() }),
    ...(written.length > 0 ? { headers: written.map(({ name, value }) => ({ name: name.trim(), value })) } : {}),
  };
}

function optional<K extends string>(key: K, value: string): Partial<Record<K, string>> {
  return value.trim() === '' ? {} : ({ [key]: value.trim() } as Record<K, string>);
}

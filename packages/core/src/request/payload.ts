import { isProtocol, parseClientHello } from './protocols.js';
import type { Field } from './field.js';
import type { Attributes } from './record.js';

/** Bytes of a payload that are looked at. */
export const MAX_PAYLOAD_BYTES = 2048;

/** The first bytes that the client sent; text that is no base64 is unknown. */
export function payloadOf(attributes: Attributes): Field<Uint8Array> {
  const text = attributes['jade.payload'];
  if (text == null) return text;
  if (typeof text !== 'string') return undefined;
  try {
    return Uint8Array.from(atob(text).slice(0, MAX_PAYLOAD_BYTES), (character) => character.charCodeAt(0));
  } catch {
    return undefined;
  }
}

/** What the first bytes reveal about the rest. */
export function sniffPayload(payload: Uint8Array): { isTls: boolean; isHttp: boolean; serverName?: string } {
  const hello = parseClientHello(payload);
  return {
    isTls: hello !== undefined,
    isHttp: isProtocol('http', payload, undefined),
    ...(hello?.serverName === undefined ? {} : { serverName: hello.serverName }),
  };
}

import { randomBytes } from 'node:crypto';
import type { Streams } from '../output.js';

/**
 * What logs and rules hold may be meant for the terminal of the reader: sequences that clear it, colour it, or set its
 * title. Control characters are therefore shown (`\x1b`) and never passed on, but for line feeds, tabs, and the sequences
 * that this program writes itself. Those travel under a key that data cannot know, made of control characters, so that
 * tables count them as no width.
 */
const KEY = Array.from(randomBytes(10), (byte) => String.fromCharCode(0x80 + (byte & 31))).join('');
const sequences: string[] = [];
const OWN = new RegExp(`${KEY}([\\u0080-\\u009f])`);
const CONTROL = /[\u0000-\u0008\u000b-\u001f\u007f-\u009f]/g;

/** A sequence of this program's own, such as a colour, for a text that goes through `guard`. At most 32 are distinguished. */
export function own(sequence: string): string {
  let at = sequences.indexOf(sequence);
  if (at < 0) at = sequences.push(sequence) - 1;
  return `${KEY}${String.fromCharCode(0x80 + at)}`;
}

/** The text as a terminal may have it. */
export function showControls(text: string): string {
  return text
    .split(OWN)
    .map((part, index) =>
      index % 2 === 1
        ? sequences[part.charCodeAt(0) - 0x80]!
        : part.replace(CONTROL, (name) => `\\x${name.charCodeAt(0).toString(16).padStart(2, '0')}`),
    )
    .join('');
}

/** The streams with a guard before what people read. `data` writes as it is where no terminal is, `prompt` always. */
export function guard(streams: Omit<Streams, 'data' | 'prompt'>): Streams {
  const stdout = guardStream(streams.stdout);
  return {
    ...streams,
    stdout,
    stderr: guardStream(streams.stderr),
    prompt: streams.stderr,
    data: streams.stdout.isTTY ? stdout : streams.stdout,
  };
}

function guardStream<S extends NodeJS.WritableStream>(stream: S): S {
  return new Proxy(stream, {
    get(target, key) {
      if (key === 'write')
        return (text: string | Uint8Array, ...rest: []) =>
          target.write(typeof text === 'string' ? showControls(text) : text, ...rest);
      const value = Reflect.get(target, key, target) as unknown;
      return typeof value === 'function' ? (value as (...args: unknown[]) => unknown).bind(target) : value;
    },
  });
}

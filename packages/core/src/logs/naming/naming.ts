/** The meaning of a log's names: by a mapping, or by convention. */
import { LogOptionsError, type Mapping } from '../lines/reader-options.js';
import { RecordBuilder, hintForName, isByteCount, resolveAttribute, type Target } from './targets.js';
import type { AttributeValue } from '../../request/record.js';

/**
 * Reads the text of a mapping file: a JSON object from words or attributes to names in the log.
 * @throws LogOptionsError describing what is wrong
 */
export function parseMapping(text: string): Mapping {
  let parsed: unknown;
  try {
    parsed = JSON.parse(text);
  } catch (error) {
    throw new LogOptionsError(`The mapping is not JSON: ${(error as Error).message}.`, EXAMPLE);
  }
  if (typeof parsed !== 'object' || parsed === null || Array.isArray(parsed))
    throw new LogOptionsError('The mapping is not a JSON object.', EXAMPLE);
  for (const [word, names] of Object.entries(parsed)) {
    if (resolveAttribute(word) === undefined)
      throw new LogOptionsError(`In the mapping, "${word}" is no value of a request.`, hintForName(word));
    const all: unknown[] = Array.isArray(names) ? names : [names];
    if (all.length === 0 || all.some((name) => typeof name !== 'string' || name === ''))
      throw new LogOptionsError(`In the mapping, "${word}" is not given by a name or a list of names.`, EXAMPLE);
  }
  return parsed as Mapping;
}

const EXAMPLE = 'Write it such as {"time": ["date", "time"], "client": "remote_ip", "host": "vhost"}.';

export class Naming {
  /** From names in the log to what they give. */
  readonly #given = new Map<string, Target[]>();
  /** Joined from several names. */
  readonly #joined: { readonly target: Target; readonly names: readonly string[] }[] = [];
  readonly #mapped = new Set<Target>();
  readonly #isJoined = new Set<string>();
  /** The names that the mapping speaks of. */
  readonly mappedNames: readonly string[];

  constructor(mapping: Mapping = {}) {
    for (const [word, names] of Object.entries(mapping)) {
      const target = resolveAttribute(word)!;
      this.#mapped.add(target);
      if (Array.isArray(names) && names.length > 1) {
        this.#joined.push({ target, names: names as string[] });
        for (const name of names as string[]) this.#isJoined.add(name);
      } else {
        const [name] = [names].flat() as [string];
        this.#given.set(name, [...(this.#given.get(name) ?? []), target]);
      }
    }
    // A whole time leaves nothing to a separate date.
    if (this.#mapped.has('timestamp')) this.#mapped.add('date');
    this.mappedNames = [...this.#given.keys(), ...this.#isJoined];
  }

  /** Whether one of the names gives the target. */
  gives(target: Target, names: readonly string[]): boolean {
    return (
      names.some((name) => this.#targetsOf(name).includes(target)) ||
      this.#joined.some((item) => item.target === target)
    );
  }

  /**
   * @param values by name; null is none
   * @param timeOf the exact text of a number, for times
   * @param emptyCount what a count of bytes is that is none
   */
  buildRecord(
    values: ReadonlyMap<string, AttributeValue | null>,
    timeOf?: (name: string) => AttributeValue | null | undefined,
    emptyCount: 0 | null = null,
  ): RecordBuilder {
    const collected = new RecordBuilder();
    for (const [name, value] of values) {
      const targets = this.#targetsOf(name);
      for (const target of targets)
        if (target === 'timestamp' && typeof value === 'number') collected.add(target, timeOf?.(name) ?? value);
        else collected.add(target, value ?? (isByteCount(target) ? emptyCount : null));
      if (targets.length === 0 && !this.#isJoined.has(name)) collected.addOther(name, value);
    }
    for (const { target, names } of this.#joined)
      collected.add(
        target,
        names
          .map((name) => values.get(name))
          .filter((value) => value != null)
          .map(String)
          .join(' ') || null,
      );
    return collected;
  }

  /** A name that the mapping does not speak of means what it is called, unless the mapping has that from elsewhere. */
  #targetsOf(name: string): readonly Target[] {
    const known = this.#given.get(name);
    if (known) return known;
    const called = this.#isJoined.has(name) ? undefined : resolveAttribute(name);
    const targets = called === undefined || this.#mapped.has(called) ? [] : [called];
    if (this.#given.size < MAX_REMEMBERED) this.#given.set(name, targets);
    return targets;
  }
}

const MAX_REMEMBERED = 1000;

/** Which fields of requests are masked, and how. */

/** The fields of a request that can be masked; of the last three by name. */
export const MASKED_FIELDS = ['client', 'peer', 'user', 'path', 'header', 'query', 'cookie'] as const;
export type MaskedField = (typeof MASKED_FIELDS)[number];

/**
 * `hide` shows `***`; `shorten` the network of an address, /24 or /48; `pseudonym` a value that is the same for the same
 * value, so that counting and correlating still work.
 */
export const MASK_METHODS = ['hide', 'shorten', 'pseudonym'] as const;
export type MaskMethod = (typeof MASK_METHODS)[number];

export interface Mask {
  readonly field: MaskedField;
  /** The name of a header (lower case), query parameter or cookie. */
  readonly parameter?: string;
  readonly method: MaskMethod;
}

/** A mask that cannot be read; the message quotes it. */
export class MaskError extends Error {
  constructor(
    message: string,
    /** How to fix it, in one sentence. */
    readonly hint: string,
  ) {
    super(message);
  }
}

const NAMED: readonly MaskedField[] = ['header', 'query', 'cookie'];
const ADDRESSES: readonly MaskedField[] = ['client', 'peer'];
const MAX_MASKS = 100;
const EXAMPLE = 'Write for example client=shorten, user=pseudonym or header "x-account"=hide.';

/**
 * Reads masks such as `client=shorten,header "x-account"=hide`.
 * @returns each field once
 * @throws MaskError
 */
export function parseMasks(text: string): Mask[] {
  const parts = text.match(/(?:"(?:[^"\\]|\\.)*"|[^,])+/g) ?? [];
  return requireDistinct(parts.map((part) => parseMask(part.trim())));
}

/** @throws MaskError */
export function parseMask(text: string): Mask {
  const match = /^([a-z-]+)(?:\s+("(?:[^"\\]|\\.)*"|[^\s="]+))?\s*=\s*(\S+)$/.exec(text);
  if (!match) throw new MaskError(`The mask ${JSON.stringify(text)} is not a field, "=" and a method.`, EXAMPLE);
  const [, field, name, method] = match as unknown as [string, string, string | undefined, string];
  return checkMask({ field, parameter: name === undefined ? undefined : unquoted(name), method });
}

function unquoted(name: string): string {
  if (!name.startsWith('"')) return name;
  try {
    return JSON.parse(name) as string;
  } catch {
    throw new MaskError(`The name ${name} is not a quoted text.`, EXAMPLE);
  }
}

/** @throws MaskError where the field or method is unknown, a name is missing or too many, or an address is needed */
export function checkMask(mask: {
  readonly field: string;
  readonly parameter?: string | undefined;
  readonly method: string;
}): Mask {
  const { parameter } = mask;
  const field = MASKED_FIELDS.find((known) => known === mask.field);
  if (!field)
    throw new MaskError(`Unknown field "${mask.field}" in a mask.`, `Expected one of ${MASKED_FIELDS.join(', ')}.`);
  const method = MASK_METHODS.find((known) => known === mask.method);
  if (!method)
    throw new MaskError(`Unknown method "${mask.method}" in a mask.`, `Expected one of ${MASK_METHODS.join(', ')}.`);
  if (method === 'shorten' && !ADDRESSES.includes(field))
    throw new MaskError(
      `The method "shorten" does not fit ${field}.`,
      'Only client and peer have addresses to shorten.',
    );
  if (!NAMED.includes(field)) {
    if (parameter !== undefined)
      throw new MaskError(
        `The mask of ${field} has a name, ${JSON.stringify(parameter)}.`,
        `Write ${field}=${method}.`,
      );
    return { field, method };
  }
  if (parameter === undefined || parameter === '')
    throw new MaskError(`The mask of ${field} lacks a name.`, `Write ${field} "NAME"=${method}.`);
  return { field, parameter: field === 'header' ? parameter.toLowerCase() : parameter, method };
}

/** @throws MaskError where a field has two masks, or there are more than 100 */
export function requireDistinct(masks: readonly Mask[]): Mask[] {
  if (masks.length > MAX_MASKS)
    throw new MaskError(`There are ${masks.length} masks.`, `At most ${MAX_MASKS} are possible.`);
  const seen = new Set<string>();
  for (const mask of masks) {
    const name = printMaskedField(mask);
    if (seen.has(name)) throw new MaskError(`There are two masks of ${name}.`, 'Leave out one of them.');
    seen.add(name);
  }
  return [...masks];
}

export function printMaskedField({ field, parameter }: Pick<Mask, 'field' | 'parameter'>): string {
  return parameter === undefined ? field : `${field} ${JSON.stringify(parameter)}`;
}

/** As `parseMask` reads it. */
export function printMask(mask: Mask): string {
  return `${printMaskedField(mask)}=${mask.method}`;
}

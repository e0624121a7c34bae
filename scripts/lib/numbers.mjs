import { parseArgs } from 'node:util';

/**
 * Reads options that are all whole numbers.
 * @param {Record<string, string | undefined>} defaults by the name of the option; undefined where it has none
 * @returns {Record<string, string>} those that are given or have a default
 */
export function readNumbers(defaults) {
  const options = Object.fromEntries(
    Object.entries(defaults).map(([name, text]) => [
      name,
      { type: 'string', ...(text === undefined ? {} : { default: text }) },
    ]),
  );
  const { values } = parseArgs({ options });
  for (const [name, text] of Object.entries(values))
    if (!/^\d{1,9}$/.test(text)) throw new Error(`--${name}: found ${text}, expected a whole number`);
  return { ...values };
}

/** The same options for another program. */
export function asArguments(values) {
  return Object.entries(values).flatMap(([name, text]) => [`--${name}`, text]);
}

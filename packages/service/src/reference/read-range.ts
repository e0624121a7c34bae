import { parseAddress, parseNetwork, type AddressRange } from '@jadefence/core/request';
import { ProblemError } from '../http/problem.js';

/** An address, a network, or `a - b`. @throws ProblemError */
export function readRange(text: string): AddressRange {
  const [from, to] = text.split(' - ').map((part) => part.trim());
  const network = parseNetwork(text.trim());
  if (network) return { family: network.family, first: network.first, last: network.last };
  const [first, last] = [parseAddress(from!), parseAddress(to ?? from!)];
  if (!first || !last || first.family !== last.family || last.value < first.value)
    throw new ProblemError('bad-input', `"${text}" is no range of addresses.`, {
      hint: 'Write an address such as 198.18.3.9, a network such as 198.18.3.0/24, or a range a - b.',
    });
  return { family: first.family, first: first.value, last: last.value };
}

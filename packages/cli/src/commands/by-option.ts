import { BREAKDOWNS } from '@jadefence/core';
import { Option } from 'commander';

/** What the requests of a log are counted by, beside the rules. */
export function byOption(): Option {
  return new Option('--by <what...>', 'count requests by these, too').choices(BREAKDOWNS);
}

import { formatUrl } from '../language/value.js';
import type { InlineEntries, Value } from '../language/tree.js';
import { and, negate, or, type Field, type Truth } from '../request/field.js';
import { isUnderDomain } from '../request/host.js';
import { isUnderPath } from '../request/path.js';
import type { Dataset } from '../reference/dataset.js';
import type { HostRow } from '../reference/host-table.js';
import type { Membership, ResolvedList } from './members.js';

/** What a urls list is requested; either half can be none or unknown. */
export interface UrlQuery {
  readonly host: Field<string>;
  readonly path: Field<string>;
  /** How the server behind the gate reads paths, for the paths of entries, too. */
  readonly readPath: (path: string) => string;
}

/** A set of URLs. An entry holds a request where its host and its path do, each of which may be unknown. */
export interface UrlMembers {
  evaluate(url: UrlQuery): Truth;
  /** Why it holds the request, where it does. */
  find(url: UrlQuery): Membership | undefined;
}

/** @param lists the lists that the values may name, all resolved */
export function createUrlMembers(
  { entries, exceptions }: Pick<InlineEntries, 'entries' | 'exceptions'>,
  lists: ReadonlyMap<string, ResolvedList>,
): UrlMembers {
  const evaluateValue = (value: Value, url: UrlQuery): Truth => {
    if (value.kind === 'list') return lists.get(value.name)!.urls!.evaluate(url);
    if (value.kind !== 'url') return 'false';
    const host = evaluateHalf(url.host, (host) => isUnderDomain(host, value.host));
    const path = evaluateHalf(url.path, (path) => isUnderPath(path, url.readPath(value.path)));
    return and(host, path);
  };
  const evaluateAny = (values: readonly Value[], url: UrlQuery): Truth =>
    values.reduce<Truth>((truth, value) => or(truth, evaluateValue(value, url)), 'false');
  const evaluate = (url: UrlQuery): Truth => and(evaluateAny(entries, url), negate(evaluateAny(exceptions, url)));
  return {
    evaluate,
    find(url) {
      if (evaluate(url) !== 'true') return undefined;
      const value = entries.find((entry) => evaluateValue(entry, url) === 'true')!;
      if (value.kind === 'url') return { entry: formatUrl(value), through: [] };
      if (value.kind !== 'list') return undefined;
      const inner = lists.get(value.name)!.urls!.find(url)!;
      return { entry: inner.entry, through: [value.name, ...inner.through] };
    },
  };
}

/** The same of a list whose entries are a dataset. */
export function createDatasetUrls(dataset: Dataset): UrlMembers {
  let paths: Set<string> | undefined;
  const holding = ({ host, path, readPath }: UrlQuery): HostRow | undefined =>
    host == null || path == null
      ? undefined
      : dataset.urlsCovering(host).find((row) => isUnderPath(path, readPath(row.path)));
  return {
    evaluate(url) {
      const { host, path, readPath } = url;
      if (host === null || path === null) return 'false';
      if (host !== undefined) {
        const rows = path === undefined ? dataset.urlsCovering(host) : undefined;
        return rows ? (rows.length > 0 ? 'unknown' : 'false') : holding(url) ? 'true' : 'false';
      }
      paths ??= new Set(Array.from(dataset.hostRows(), (row) => row.path));
      const isPossible =
        path === undefined ? paths.size > 0 : [...paths].some((text) => isUnderPath(path, readPath(text)));
      return isPossible ? 'unknown' : 'false';
    },
    find(url) {
      const row = holding(url);
      return row && { entry: formatUrl(row), through: [] };
    },
  };
}

function evaluateHalf(value: Field<string>, test: (text: string) => boolean): Truth {
  if (value === undefined) return 'unknown';
  return value !== null && test(value) ? 'true' : 'false';
}

import type { DecisionRow, TryRequest } from '@jadefence/contract';

/** A request as a URL, as far as the log names it. */
export function urlOf({ record, host, path }: Pick<DecisionRow, 'record' | 'host' | 'path'>): string | undefined {
  const full = record['url.full'];
  if (typeof full === 'string') return full;
  return host === null ? undefined : `https://${host}${path ?? '/'}`;
}

/** Filters for the requests that are like this one, or are not. */
export function filtersOf(row: DecisionRow): { readonly text: string; readonly where: string }[] {
  const { client, country, host, path, record } = row;
  const status = record['http.response.status_code'];
  return [
    ...clientPair(client),
    ...(country === null ? [] : [{ text: 'Only this country', where: `country = ${country}` }]),
    ...pair('host', host, 'host'),
    ...pair('path', path === null ? null : quote(path), 'path'),
    ...(typeof status === 'number'
      ? [{ text: `Only recorded status ${status}`, where: `recorded status = ${status}` }]
      : []),
  ];
}

/** Of a client that is shown shortened, its network. */
function clientPair(client: string | null): { readonly text: string; readonly where: string }[] {
  if (client === null || !client.includes('/')) return pair('client', client, 'client');
  return [
    { text: 'Only this network', where: `client in ${client}` },
    { text: 'Not this network', where: `client not in ${client}` },
  ];
}

const MASKED = '***';

function pair(field: string, value: string | null, noun: string): { readonly text: string; readonly where: string }[] {
  if (value === null || value === '' || value.includes(MASKED)) return [];
  return [
    { text: `Only this ${noun}`, where: `${field} = ${value}` },
    { text: `Not this ${noun}`, where: `not ${field} = ${value}` },
  ];
}

/** Fence text of a value; in quotes where it is more than a word. */
function quote(text: string): string {
  return /^[\w./:-]+$/.test(text) ? text : `"${text.replaceAll('\\', '\\\\').replaceAll('"', '\\"')}"`;
}

/** An expectation that the request has this outcome; undefined where the log does not name enough of it. */
export function expectationOf(row: DecisionRow): string | undefined {
  const { client, method } = row;
  const url = urlOf(row);
  if (client === null || url === undefined) return undefined;
  return expectationText({ client, url, ...(method === null ? {} : { method }) }, row);
}

/** An expectation that a request is decided as it was; undefined where nothing can be expected of it. */
export function expectationText(
  { client, url, method = 'GET', headers = [], user, peer, at }: Omit<TryRequest, 'against'>,
  { outcome, fence, rule }: Pick<DecisionRow, 'outcome' | 'fence' | 'rule'>,
): string | undefined {
  if (outcome === 'uncovered') return undefined;
  const by = rule === undefined ? '' : ` by rule ${fence}/${rule}`;
  const fields = [
    ...(method === 'GET' ? [] : [`method ${method}`]),
    ...headers.map(({ name, value }) => `header ${JSON.stringify(name.toLowerCase())} ${JSON.stringify(value)}`),
    ...(user === undefined ? [] : [`user ${JSON.stringify(user)}`]),
    ...(peer === undefined ? [] : [`peer ${peer}`]),
  ];
  return [
    `expect ${outcome}${by} from ${client} to ${quote(url.includes('://') ? url : `https://${url}`)}`,
    ...(fields.length > 0 ? [`with ${fields.join(', ')}`] : []),
    ...(at === undefined ? [] : [`at ${at}`]),
  ].join(' ');
}

/** A rule that lets the same client pass, to be put above the rule that stopped it. */
export function exceptionRule(client: string, path: string | undefined): string {
  const where = path === undefined ? '' : ` and path under ${quote(path)}`;
  return `rule exception allow when client = ${client}${where}`;
}

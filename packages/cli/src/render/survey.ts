import type { LogFormat } from '@jadefence/core/logs';
import type { Survey } from '@jadefence/core/survey';
import type { Streams } from '../output.js';
import { coloursFor, countOf, formatCount, formatShare, formatTime, printTable, shorten, widthOf } from './text.js';
import { renderRejected } from './summary.js';

type Busy = Survey['busiestClients'][number];

/** A survey for people: what the log holds, then what to do next. */
export function renderSurvey(
  survey: Survey,
  path: string,
  countryTable: string | undefined,
  format: LogFormat,
  streams: Streams,
): string {
  const colours = coloursFor(streams);
  const count = ({ count: number, isExact }: Survey['clients']): string =>
    `${isExact ? '' : 'about '}${formatCount(number)}`;
  const { hostNotice } = survey;
  const parts = [
    ...(hostNotice === undefined ? [] : [`${hostNotice}\nOptions: --host HOST, --gate NAME.`]),
    `${colours.bold(path)}\n${countOf(survey.requests, 'request')} from ${formatTime(survey.fromUnixMs)} to ${formatTime(survey.toUnixMs)} UTC, ${count(survey.clients)} clients, ${count(survey.hosts)} hosts, ${count(survey.paths)} paths`,
    `methods   ${inline(survey.methods)}\nstatuses  ${inline(survey.statuses)}\nhosts     ${inline(survey.busiestHosts)}`,
    ...renderCountries(survey, countryTable, count),
    renderProxySigns(survey),
    ...renderBursts(survey),
    ...renderBusiest('busiest clients', survey.busiestClients, survey.requests, widthOf(streams)),
    ...renderBusiest('busiest paths', survey.busiestPaths, survey.requests, widthOf(streams)),
    ...renderRejected(survey, widthOf(streams)),
    ...renderStarter(survey, path, countryTable, format),
  ];
  return `${parts.join('\n\n')}\n`;
}

const SHOWN_INLINE = 8;

function inline(values: readonly Busy[]): string {
  if (values.length === 0) return 'none';
  const shown = values
    .slice(0, SHOWN_INLINE)
    .map(({ value, requests, isExact }) => `${value} (${isExact ? '' : 'at least '}${formatCount(requests)})`);
  return `${shown.join(', ')}${values.length > SHOWN_INLINE ? ` and ${values.length - SHOWN_INLINE} more` : ''}`;
}

const SHOWN_COUNTRIES = 12;

function renderCountries(
  { countries, requests }: Survey,
  table: string | undefined,
  count: (clients: Survey['clients']) => string,
): string[] {
  if (!countries)
    return table === undefined
      ? ['No country table: give one with --country-table to see where requests come from.']
      : [];
  const rows = countries
    .slice(0, SHOWN_COUNTRIES)
    .map((country) => [
      country.country,
      formatCount(country.requests),
      formatShare(country.requests / requests),
      count(country.clients),
    ]);
  const more = countries.length > SHOWN_COUNTRIES ? `\nand ${countries.length - SHOWN_COUNTRIES} more` : '';
  return [`${printTable(['country', 'requests', 'share', 'clients'], rows, [1, 2, 3])}${more}`];
}

function renderProxySigns({ proxySigns }: Survey): string {
  if (proxySigns.length === 0) return 'No sign of a proxy in front: the addresses look like those of the clients.';
  return `Signs of a proxy in front, so that the log may show the proxy for the client:\n${proxySigns.map((sign) => `  ${sign}`).join('\n')}`;
}

function renderBursts({ bursts, burstsAreExact }: Survey): string[] {
  if (bursts.length === 0) return [];
  const rows = bursts.map(({ client, requests, minuteUnixMs }) => [
    client,
    formatCount(requests),
    formatTime(minuteUnixMs).slice(0, 16),
  ]);
  return [
    `${printTable(['most within a minute', 'requests', 'minute (UTC)'], rows, [1])}${burstsAreExact ? '' : '\n(the log is far out of order, so there may be larger ones)'}`,
  ];
}

function renderBusiest(title: string, values: readonly Busy[], requests: number, width: number): string[] {
  if (values.length === 0) return [];
  const rows = values.map((value) => [
    shorten(value.value, width - 30),
    `${value.isExact ? '' : '>='}${formatCount(value.requests)}`,
    formatShare(value.requests / requests),
  ]);
  return [printTable([title, 'requests', 'share'], rows, [1, 2])];
}

function renderStarter(
  { starter, busiestHosts }: Survey,
  path: string,
  countryTable: string | undefined,
  format: LogFormat,
): string[] {
  if (starter.rules.length === 0) return [];
  const rules = starter.rules.map(
    ({ text, because, wouldStop, isExact }) =>
      `  ${text}\n      ${wouldStop === null ? 'limits each client' : `would have stopped ${isExact ? '' : 'at least '}${countOf(wouldStop, 'request')}`}: ${because}`,
  );
  const gate = busiestHosts.length === 0 && format !== 'ndjson' ? ' --gate site' : '';
  const table = countryTable === undefined ? '' : ` --country-table ${countryTable}`;
  return [
    `Suggested rules:\n${rules.join('\n')}`,
    `Keep these lines as starter.fence and judge the log with them:\n\n${starter.text}\n  jadefence judge ${path} --fences starter.fence${table}${gate}`,
  ];
}

/** The options of a command for reading a log. */
import { readFile } from 'node:fs/promises';
import { LogOptionsError, LOG_FORMATS, parseMapping, type LogFormat, type ReaderOptions } from '@jadefence/core/logs';
import { InvalidArgumentError, Option, type Command } from 'commander';
import { EXIT, Failure } from '../cli-error.js';
import { nameOfPath, parseWhole } from '../output.js';

export interface ReadingOptions {
  readonly format?: LogFormat;
  readonly pattern?: string;
  /** A file. */
  readonly mapping?: string;
  readonly syslog?: true;
  readonly zone?: string;
  readonly year?: number;
  readonly host?: string;
}

/** The options given for a log: how to read it, and its format if it is not to be detected. */
export interface LogReadSettings {
  readonly format?: LogFormat;
  readonly options: ReaderOptions;
  /** The text of the mapping file. */
  readonly mappingText?: string;
}

/** Adds the options for reading a log. */
export function addReadingOptions(command: Command): Command {
  return command
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option('--pattern <pattern>', 'line pattern, such as \'{client} [{time}] "{request}" {status}\'')
    .option('--mapping <file>', 'JSON file that maps names of CSV, TSV, NDJSON or key=value')
    .option('--syslog', 'lines are wrapped in syslog')
    .option('--zone <zone>', 'time zone for timestamps without one (default: UTC)')
    .addOption(new Option('--year <year>', 'year of the first line, if syslog times have none').argParser(parseWhole));
}

function parseFormat(text: string): LogFormat {
  if (!Object.hasOwn(LOG_FORMATS, text))
    throw new InvalidArgumentError(`Expected one of ${Object.keys(LOG_FORMATS).join(', ')}.`);
  return text as LogFormat;
}

/** @throws Failure where the mapping cannot be read */
export async function readingOf({
  format,
  mapping,
  syslog,
  host,
  pattern,
  zone,
  year,
}: ReadingOptions): Promise<LogReadSettings> {
  const mappingText = mapping === undefined ? undefined : await readMapping(mapping);
  return {
    ...(format === undefined ? {} : { format }),
    ...(mappingText === undefined ? {} : { mappingText }),
    options: {
      ...(host === undefined ? {} : { host }),
      ...(pattern === undefined ? {} : { pattern }),
      ...(mappingText === undefined ? {} : { mapping: orFail(mapping!, () => parseMapping(mappingText)) }),
      ...(syslog ? { isInSyslog: true } : {}),
      ...(zone === undefined ? {} : { zone }),
      ...(year === undefined ? {} : { year }),
    },
  };
}

async function readMapping(path: string): Promise<string> {
  return readFile(path, 'utf8').catch((error: NodeJS.ErrnoException) => {
    throw new Failure(`The mapping "${path}" cannot be read (${error.code}).`, EXIT.wrongInput);
  });
}

/** @throws Failure that names the file if the options contradict each other */
export function orFail<T>(path: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    throw asFailure(path, error);
  }
}

/** @throws Failure that names the files if the options do not fit the log */
export async function orFailLater<T>(paths: readonly string[], work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw asFailure(paths.map(nameOfPath).join(', '), error);
  }
}

function asFailure(place: string, error: unknown): unknown {
  return error instanceof LogOptionsError
    ? new Failure(`${place}: ${error.message}`, EXIT.wrongInput, error.hint)
    : error;
}

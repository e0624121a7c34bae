/** What a command is told about how a log is to be read. */
import { readFile } from 'node:fs/promises';
import { LogOptionsError, LOG_FORMATS, parseMapping, type LogFormat, type ReaderOptions } from '@jadefence/core';
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

/** What is said about a log: how to read it, and its format where that is not to be found. */
export interface LogReadSettings {
  readonly format?: LogFormat;
  readonly options: ReaderOptions;
  /** The text of the mapping file. */
  readonly mappingText?: string;
}

/** Adds the options that say how a log is to be read. */
export function addReadingOptions(command: Command): Command {
  return command
    .option('--format <format>', 'log format, instead of detecting it', parseFormat)
    .option('--pattern <pattern>', 'which part of a line is what, such as \'{client} [{time}] "{request}" {status}\'')
    .option('--mapping <file>', 'JSON file that says what the names of CSV, TSV, NDJSON or key=value mean')
    .option('--syslog', 'the lines stand in lines of syslog')
    .option('--zone <zone>', 'time zone of times that say none (default: UTC)')
    .addOption(
      new Option('--year <year>', 'year of the first line, where times of syslog say none').argParser(parseWhole),
    );
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

/** @throws Failure that names the file where what is said about a log does not hold together */
export function orFail<T>(path: string, work: () => T): T {
  try {
    return work();
  } catch (error) {
    throw asFailure(path, error);
  }
}

/** @throws Failure that names the files where what is said about a log does not fit it */
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

import type { ImportLogQuery } from './server.js';
import type { Shape } from './shape.js';
import type { RejectReason, RejectedLine } from '@jadefence/core/request';
import type { LogFormat, ReaderOptions } from '@jadefence/core/logs';

/** How a log is to be read, as parameters of an upload. */
export type LogReadOptions = Omit<Shape<ImportLogQuery>, 'name'>;

export interface Log {
  readonly id: number;
  readonly name: string;
  readonly sha256: string;
  readonly format: LogFormat;
  /** The host given for the lines that name none. */
  readonly host: string | null;
  /** Further options for reading it. */
  readonly layout: Omit<ReaderOptions, 'host'>;
  /** Names of its files, where it has several. */
  readonly files: readonly string[];
  /** Why it ends too early, where its compressed bytes did. */
  readonly incomplete: string | null;
  /** To be read first: most requests name no host, so that no gate covers them. */
  readonly hostNotice: string | null;
  readonly requests: number;
  readonly rejectedLines: number;
  readonly rejectedByReason: Partial<Record<RejectReason, number>>;
  readonly firstRejected: readonly RejectedLine[];
  readonly fromUnixMs: number | null;
  readonly toUnixMs: number | null;
  readonly importedAt: string;
}

/** One class a table. Names are camel-cased by the connection; nothing here leaves the feature that queries it. */
import type { Step } from '@jadefence/core/edit';
import type {
  ComparisonState,
  DatasetEffect,
  DatasetOwner,
  Role,
  ReplayState,
  PartialResult,
} from '@jadefence/contract';
import type { HeldBehaviour, Ruling, StoredState } from '@jadefence/core/decide';
import type { Outcome } from '@jadefence/core/language';
import type { LogFormat, ReaderOptions } from '@jadefence/core/logs';
import type { CountryShare, DatasetKind, LineProblem } from '@jadefence/core/reference';
import type { ComparisonTally, Tally } from '@jadefence/core/replay';
import type { RejectReason } from '@jadefence/core/request';
import type { Survey } from '@jadefence/core/survey';
import { Model } from 'objection';

/** Values of JSON columns are written as they are: copying those of 20,000 rules would hold the thread that answers. */
class Row extends Model {
  static cloneObjectAttributes = false;
}

export class SettingModel extends Row {
  static override tableName = 'settings';
  static override idColumn = 'key';
  declare key: string;
  declare value: string;
}

export class UserModel extends Row {
  static override tableName = 'users';
  declare id: number;
  declare name: string;
  declare passwordHash: string;
  declare role: Role;
}

export class TokenModel extends Row {
  static override tableName = 'tokens';
  declare id: number;
  declare userId: number;
  declare name: string;
  declare hash: string;
  declare scope: Role;
  declare unmask: boolean;
  declare createdAt: Date;
  declare expiresAt: Date | null;
  declare lastUsedAt: Date | null;
}

export class SignInAttemptsModel extends Row {
  static override tableName = 'sign_in_attempts';
  static override idColumn = 'key';
  declare key: string;
  declare state: StoredState;
  declare quietFrom: Date;
}

export class ObjectModel extends Row {
  static override tableName = 'objects';
  static override idColumn = 'hash';
  declare hash: string;
  declare kind: string;
  declare body: string;
}

export class SnapshotModel extends Row {
  static override tableName = 'snapshots';
  declare id: number;
  declare rootHash: string;
}

/** The position of an object in a snapshot or a draft. */
export interface Entry {
  kind: string;
  owner: string;
  name: string;
  position: number;
  objectHash: string;
}

export class SnapshotEntryModel extends Model implements Entry {
  static override tableName = 'snapshot_entries';
  static override idColumn = ['snapshotId', 'kind', 'owner', 'name'];
  static override relationMappings = () => ({
    object: {
      relation: Model.BelongsToOneRelation,
      modelClass: ObjectModel,
      join: { from: 'snapshot_entries.objectHash', to: 'objects.hash' },
    },
  });
  declare snapshotId: number;
  declare kind: string;
  declare owner: string;
  declare name: string;
  declare position: number;
  declare objectHash: string;
}

export class DraftModel extends Row {
  static override tableName = 'drafts';
  declare id: number;
  declare name: string;
  /** One more with every change. */
  declare version: number;
}

export class DraftEntryModel extends Model implements Entry {
  static override tableName = 'draft_entries';
  static override idColumn = ['draftId', 'kind', 'owner', 'name'];
  declare draftId: number;
  declare kind: string;
  declare owner: string;
  declare name: string;
  declare position: number;
  declare objectHash: string;
  /** The version of the draft in which it last changed. */
  declare version: number;
  declare changedBy: number | null;
  declare changedAt: Date;
}

/** A write of the draft that its user can take back. */
export class DraftStepModel extends Row {
  static override tableName = 'draft_steps';
  declare id: number;
  declare draftId: number;
  declare userId: number | null;
  /** In words. */
  declare summary: string;
  declare step: Step;
  declare isUndone: boolean;
  declare createdAt: Date;
  static override jsonAttributes = ['step'];
}

export class RevisionModel extends Row {
  static override tableName = 'revisions';
  static override idColumn = 'number';
  declare number: number;
  declare snapshotId: number;
  declare note: string;
  declare restoredFrom: number | null;
  /** Published although expectations were not met. */
  declare isForced: boolean;
  declare publishedBy: number | null;
  declare publishedAt: Date;
}

export interface DatasetStats {
  readonly numEntries: number;
  readonly numRejected: number;
  /** The first of them. */
  readonly problems: readonly LineProblem[];
  /** Of a hosts file: names of the machine itself, which are left out. */
  readonly numOwnNames?: number;
  /** Of a list. */
  readonly listKind?: DatasetKind;
  /** Of a category feed: entries by category, in the order of its numbers. */
  readonly categories?: readonly { readonly name: string; readonly numEntries: number }[];
  /** Of a category feed: what is called otherwise here. */
  readonly renamed?: Readonly<Record<string, string>>;
  /** Of a country table. */
  readonly countries?: readonly CountryShare[];
}

export class DatasetModel extends Row {
  static override tableName = 'datasets';
  declare id: number;
  declare kind: DatasetOwner;
  declare name: string;
  declare sha256: string;
  declare isActive: boolean;
  /** Checking while the latest log is replayed with it. */
  declare state: 'checking' | 'settled';
  declare stats: DatasetStats;
  declare builtAt: Date | null;
  /** Why it does not become active without a yes. */
  declare waitsFor: string | null;
  declare effect: DatasetEffect | null;
  declare importedAt: Date;
  declare importedBy: number | null;
}

export class DatasetPartModel extends Row {
  static override tableName = 'dataset_parts';
  static override idColumn = ['datasetId', 'seq'];
  declare datasetId: number;
  declare seq: number;
  declare bytes: Buffer;
}

export class FeedModel extends Row {
  static override tableName = 'feeds';
  static override idColumn = 'name';
  declare name: string;
  declare position: number;
}

/** Where a dataset comes from, and how its latest refresh went. */
export class SourceModel extends Row {
  static override tableName = 'sources';
  static override idColumn = ['kind', 'name'];
  static override jsonAttributes = ['locations', 'options', 'validators'];
  declare kind: DatasetOwner;
  declare name: string;
  declare locations: readonly string[];
  declare options: { readonly category?: string; readonly listKind?: DatasetKind };
  declare everyMinutes: number;
  /** The validators of each location's latest answer, for conditional requests. */
  declare validators: readonly { readonly etag?: string; readonly lastModified?: string }[];
  declare checkedAt: Date | null;
  declare succeededAt: Date | null;
  declare failure: string | null;
  declare changedBy: number | null;
}

export class CorrectionModel extends Row {
  static override tableName = 'corrections';
  static override idColumn = ['kind', 'key'];
  declare kind: 'country' | 'category';
  /** A range or a site, in normal form. */
  declare key: string;
  /** A country, or categories joined by commas. */
  declare value: string;
  declare reason: string | null;
  declare changedBy: number | null;
  declare changedAt: Date;
}

export class PassphraseModel extends Row {
  static override tableName = 'passphrases';
  static override idColumn = 'name';
  declare name: string;
  declare hash: string;
  declare changedBy: number | null;
  declare changedAt: Date;
}

export class LogModel extends Row {
  static override tableName = 'logs';
  static override jsonAttributes = ['layout', 'files', 'rejected', 'survey'];
  declare id: number;
  declare name: string;
  declare sha256: string;
  declare format: LogFormat;
  declare host: string | null;
  /** Further options for reading it. */
  declare layout: Omit<ReaderOptions, 'host'>;
  /** Names of its files, where it has several. */
  declare files: string[];
  /** Why it ends too early. */
  declare incomplete: string | null;
  declare state: 'importing' | 'ready';
  declare leasedUntil: Date | null;
  declare leasedBy: string | null;
  declare requests: number;
  declare rejected: Partial<Record<RejectReason, number>>;
  declare fromMs: number | null;
  declare toMs: number | null;
  declare survey: Survey | null;
  declare importedAt: Date;
}

export class LogRejectModel extends Row {
  static override tableName = 'log_rejects';
  static override idColumn = ['logId', 'file', 'line'];
  declare logId: number;
  /** Empty where the log has one file. */
  declare file: string;
  declare line: number;
  declare reason: RejectReason;
  declare start: Buffer;
}

export class LogChunkModel extends Row {
  static override tableName = 'log_chunks';
  static override idColumn = ['logId', 'chunk'];
  declare logId: number;
  declare chunk: number;
  declare rowStart: number;
  declare numRows: number;
  declare fromMs: number;
  declare toMs: number;
  /** The chunk with which the dictionaries of its columns begin. */
  declare segment: number;
}

/** What a chunk adds to the dictionary of a column. */
export class LogDictionaryModel extends Row {
  static override tableName = 'log_dictionaries';
  static override idColumn = ['logId', 'chunk', 'columnName'];
  declare logId: number;
  declare chunk: number;
  declare columnName: string;
  declare bytes: Buffer;
}

export class ChunkColumnModel extends Row {
  static override tableName = 'chunk_columns';
  static override idColumn = ['logId', 'chunk', 'columnName'];
  declare logId: number;
  declare chunk: number;
  declare columnName: string;
  declare bytes: Buffer;
}

export class ReplayModel extends Row {
  static override tableName = 'replays';
  static override jsonAttributes = ['tally', 'partial'];
  declare id: number;
  declare logId: number;
  declare snapshotId: number;
  /** The object that holds what it depends on besides its snapshot. */
  declare referenceHash: string;
  declare gate: string | null;
  /** Absent where the draft was judged. */
  declare revision: number | null;
  declare held: HeldBehaviour;
  /** Only requests from this time on, and before that, are judged; all where absent. */
  declare fromMs: number | null;
  declare toMs: number | null;
  /** The name of the folder whose fences judge; absent for the draft or a revision. */
  declare folder: string | null;
  /** Given by a user. */
  declare name: string | null;
  declare state: ReplayState;
  declare requests: number;
  declare requestsDone: number;
  declare failure: string | null;
  declare tally: Tally | null;
  declare partial: PartialResult | null;
  declare startedBy: number | null;
  declare startedAt: Date;
}

export class ReplayResultModel extends Row {
  static override tableName = 'replay_results';
  static override idColumn = ['replayId', 'code'];
  declare replayId: number;
  declare code: number;
  declare outcome: Outcome;
  declare ruling: Ruling;
}

export class ReplayChunkModel extends Row {
  static override tableName = 'replay_chunks';
  static override idColumn = ['replayId', 'chunk'];
  declare replayId: number;
  declare chunk: number;
  declare codes: Buffer;
  declare checksum: number;
  declare waits: Buffer | null;
  /** How many rows have each code. */
  declare codeCounts: Record<string, number>;
}

export class AuditModel extends Row {
  static override tableName = 'audit';
  declare id: number;
  declare at: Date;
  declare userId: number | null;
  declare what: string;
  declare detail: Record<string, unknown>;
  declare previousHash: string;
  declare hash: string;
}

/** What earlier requests left behind before a segment of a replay. */
export class ReplayStateModel extends Row {
  static override tableName = 'replay_states';
  static override idColumn = ['replayId', 'segment'];
  declare replayId: number;
  declare segment: number;
  declare bytes: Buffer;
}

/** What a replay that is cut off goes on from. */
export class ReplayCheckpointModel extends Row {
  static override tableName = 'replay_checkpoints';
  static override idColumn = 'replayId';
  declare replayId: number;
  declare bytes: Buffer;
}

/** Two replays of one log, held side by side. */
export class ComparisonModel extends Row {
  static override tableName = 'comparisons';
  static override jsonAttributes = ['result'];
  declare id: number;
  declare beforeId: number;
  declare afterId: number;
  declare state: ComparisonState;
  declare failure: string | null;
  declare result: ComparisonTally | null;
  declare startedBy: number | null;
  declare startedAt: Date;
}

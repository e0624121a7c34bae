/** What the draft needs of others, and what others read of it. */
import type { CheckedFences } from '@jadefence/core/check';
import type { Configuration, Edit } from '@jadefence/core/edit';
import type { FenceFile } from '@jadefence/core/language';
import type { Dataset } from '@jadefence/core/reference';
import type { Database } from '../../database/database.js';

/** What is published, for comparing the draft with it. */
export interface Published {
  latest(db: Database): Promise<{ readonly number: number; readonly configuration: Configuration } | undefined>;
}

/** What the draft may name that is kept elsewhere. */
export interface ExternalData {
  /** The active datasets of these names. */
  forLists(names: readonly string[], db: Database): Promise<Dataset[]>;
  /** Undefined where every name may be a category. */
  categoryNames(db: Database): Promise<ReadonlySet<string> | undefined>;
}

/** The draft as it is, and how parts of it are checked by themselves. */
export interface CheckedDraft {
  readonly key: string;
  readonly snapshot: string;
  readonly checked: CheckedFences;
  recheck(files: readonly FenceFile[]): CheckedFences;
}

/** Edits that depend on what they are made on. */
export type EditsOf = (configuration: Configuration) => readonly Edit[];

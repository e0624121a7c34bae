/** The shapes of everything the service reads, checked by class-validator. Loaded by the service only. */
import 'reflect-metadata';
import { HELD_BEHAVIOURS, type HeldBehaviour } from '@jadefence/core/decide';
import { EDIT_KINDS, type Edit } from '@jadefence/core/edit';
import { NAME, OUTCOMES, STATEMENTS, type Outcome, type StatementKind } from '@jadefence/core/language';
import { LOG_FORMATS, type LogFormat } from '@jadefence/core/logs';
import { DATASET_KINDS, type DatasetKind } from '@jadefence/core/reference';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsISO8601,
  IsString,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateBy,
  ValidateIf,
} from 'class-validator';
import {
  DecimalNumber,
  IsAgainst,
  IsId,
  IsInstant,
  IsListOf,
  IsOffset,
  IsOne,
  Optional,
  QueryFlag,
} from './decorators.js';
import { DATASET_OWNERS, type DatasetOwner } from './datasets.js';
import type { ReplayPolicy } from './replays.js';

export * from './server-advice.js';
export * from './server-masking.js';
export * from './server-previews.js';
export * from './server-sign-in.js';

const MAX_FILE_CHARACTERS = 20_000_000;
const MAX_FILES = 2000;
const FILE_PATH = /^(?!\/)(?!.*(^|\/)\.\.(\/|$))[^\0\\]{1,500}$/;
const FILE_PATH_MESSAGE = '$property must be a path below the folder of the fences, such as lists/touts.txt';

const TEXT_PARAM = /^\P{Cc}{1,200}$/u;
const TEXT_PARAM_MESSAGE = { message: '$property must be 1 to 200 characters, none of them a control character' };

const RULE_EDITS: readonly Edit['kind'][] = [
  'add-rule',
  'replace-rule',
  'move-rule',
  'clone-rule',
  'rename-rule',
  'remove-rule',
  'set-rule',
  'set-mode',
  'attach',
  'detach',
];

/** A key that edits of these kinds must have, with `?` may have, and all others must not have. */
function Needed(kinds: readonly (Edit['kind'] | `${Edit['kind']}?`)[], canBeNull = false): PropertyDecorator {
  return (target, key) => {
    ValidateIf(({ kind }: { kind: Edit['kind'] }, value: unknown) => {
      if (kinds.includes(kind)) return true;
      if (canBeNull && value === null) return !kinds.includes(`${kind}?`);
      return value !== undefined;
    })(target, key);
    IsAllowedFor(kinds.map((kind) => kind.replace('?', '')))(target, key as string);
  };
}

/** What an edit of this kind may set, or take away with `null`. */
const Settable = (kind: Edit['kind']): PropertyDecorator => Needed([`${kind}?`], true);

function IsAllowedFor(kinds: readonly string[]): PropertyDecorator {
  return ValidateBy({
    name: 'isAllowedFor',
    validator: {
      validate: (_, args) => kinds.includes((args!.object as { kind: string }).kind),
      defaultMessage: (args) =>
        `${args!.property} has no use in an edit of the kind ${(args!.object as { kind: string }).kind}`,
    },
  });
}

export class SourceFileInput {
  @Matches(FILE_PATH, { message: FILE_PATH_MESSAGE }) path!: string;
  @IsString() @Length(0, MAX_FILE_CHARACTERS) text!: string;
}

/** Fences as the text of their files, with the files that their lists name. */
export class FenceFilesInput {
  @IsListOf(() => SourceFileInput, { max: MAX_FILES }) fenceFiles!: SourceFileInput[];
  @IsListOf(() => SourceFileInput, { max: MAX_FILES }) namedFiles!: SourceFileInput[];
}

export class ImportFencesInput extends FenceFilesInput {
  /** Replaces or adds what is given and leaves the rest of the draft alone. */
  @Optional() @IsBoolean() isMerge: boolean = false;
}

const MAX_EDITS = 200;
const MAX_ENTRIES = 200_000;
const MAX_TEXT_CHARACTERS = 2_000_000;

export class PositionInput {
  @IsIn(['top', 'bottom', 'above', 'below']) at!: 'top' | 'bottom' | 'above' | 'below';
  @ValidateIf(({ at }: PositionInput) => at === 'above' || at === 'below') @Matches(NAME) name?: string;
}

/** Any edit: `kind` determines which other keys it needs. */
export class EditInput {
  @IsIn(EDIT_KINDS) kind!: Edit['kind'];
  @Needed(['put', 'add-rule', 'replace-rule', 'put-file']) @IsString() @MaxLength(MAX_TEXT_CHARACTERS) text?: string;
  @Needed(['remove', 'rename', 'put?']) @IsIn(STATEMENTS) part?: StatementKind;
  @Needed(['put?']) @IsBoolean() isNew?: boolean;
  @Needed(['remove', 'rename', 'clone-rule?']) @IsString() @Length(1, 2000) name?: string;
  @Needed(['rename', 'rename-rule']) @IsString() @Length(1, 100) to?: string;
  @Needed(RULE_EDITS) @Matches(NAME, { message: '$property must be the name of a fence' }) fence?: string;
  @Needed(RULE_EDITS.filter((kind) => kind.endsWith('rule') && kind !== 'add-rule'))
  @Matches(NAME, { message: '$property must be the name of a rule' })
  rule?: string;
  @Needed(['move-rule?']) @Matches(NAME, { message: '$property must be the name of a fence' }) toFence?: string;
  @Needed(['add-rule', 'move-rule', 'attach', 'move-gate']) @IsOne(() => PositionInput) position?: PositionInput;
  @Needed(['set-rule?']) @IsIn(['on', 'trial', 'off']) state?: 'on' | 'trial' | 'off';
  @Settable('set-rule') @IsString() @MaxLength(500) title?: string | null;
  @Settable('set-rule') @IsString() @MaxLength(40) until?: string | null;
  @Settable('set-rule') @IsString() @MaxLength(500) owner?: string | null;
  @Settable('set-rule') @IsString() @MaxLength(2000) reason?: string | null;
  @Needed(['set-mode']) @IsIn(['trial', 'enforce']) mode?: 'trial' | 'enforce';
  @Needed(['edit-list', 'protect-list'])
  @Matches(NAME, { message: '$property must be the name of a list' })
  list?: string;
  @Needed(['protect-list']) @IsBoolean() isProtected?: boolean;
  @Needed(['edit-list']) @IsArray() @ArrayMaxSize(MAX_ENTRIES) @IsString({ each: true }) add?: string[];
  @Needed(['edit-list']) @IsArray() @ArrayMaxSize(MAX_ENTRIES) @IsString({ each: true }) remove?: string[];
  @Needed(['attach', 'detach', 'move-gate'])
  @Matches(NAME, { message: '$property must be the name of a gate' })
  gate?: string;
  @Needed(['put-file']) @Matches(FILE_PATH, { message: FILE_PATH_MESSAGE }) path?: string;
  @Needed(['start-from']) @IsString() @Length(1, 100) startingPoint?: string;
}

export class EditsInput {
  @IsListOf(() => EditInput, { min: 1, max: MAX_EDITS }) edits!: EditInput[];
}

export class EditFindingsInput extends EditsInput {
  /** As fence/rule. */
  @IsString() @Length(3, 200) rule!: string;
}

export class PartSelectorInput {
  @IsIn(STATEMENTS) part!: StatementKind;
  @IsString() @Length(1, 2000) name!: string;
}

const CHANGED_PARTS = [...STATEMENTS, 'rule', 'file'] as const;

export class ChangeSelectorInput {
  @IsIn(CHANGED_PARTS) part!: (typeof CHANGED_PARTS)[number];
  @IsString() @Length(1, 2000) name!: string;
}

export class DiscardInput {
  @Optional() @IsListOf(() => ChangeSelectorInput, { min: 1, max: MAX_EDITS }) only?: ChangeSelectorInput[];
}

export class PublishInput {
  @IsString() @Length(1, 2000) note!: string;
  @Optional() @IsListOf(() => PartSelectorInput, { min: 1, max: MAX_FILES }) only?: PartSelectorInput[];
  @Optional() @IsBoolean() isForced?: boolean;
}

export class RestoreInput {
  @Optional() @IsString() @Length(1, 2000) note?: string;
}

export class DiffQuery {
  @IsAgainst() from!: ReplayPolicy;
  @IsAgainst() to!: ReplayPolicy;
}

export class PlacementQuery {
  @Matches(NAME, { message: '$property must be a name' }) fence!: string;
  @Matches(NAME, { message: '$property must be a name' }) rule!: string;
}

export class NameParams {
  @Matches(NAME, { message: '$property must be a name' }) name!: string;
}

export class LookupQuery {
  @IsString() @Length(1, 4000) value!: string;
}

export class PageQuery {
  @DecimalNumber() @IsOffset() offset: number = 0;
  @DecimalNumber() @IsInt() @Min(1) @Max(1000) limit: number = 50;
}

export class HeaderInput {
  @Matches(/^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,200}$/, { message: '$property must be the name of a header' }) name!: string;
  @IsString() @MaxLength(8000) value!: string;
}

export class TryRequestInput {
  @IsString() @Length(1, 100) client!: string;
  @IsString() @Length(1, 8000) url!: string;
  @Optional() @IsString() @Length(1, 40) method?: string;
  @Optional() @IsISO8601({ strict: true }) at?: string;
  @Optional() @IsAgainst() against?: ReplayPolicy;
  @Optional() @IsListOf(() => HeaderInput, { max: 100 }) headers?: HeaderInput[];
  @Optional() @IsString() @Length(1, 200) user?: string;
  @Optional() @IsString() @Length(1, 100) peer?: string;
  /** Judges whatever the host. */
  @Optional() @Matches(NAME, { message: '$property must be the name of a gate' }) gate?: string;
  /** A rule, as `fence/name`: what would have to be different so that it decides. */
  @Optional() @IsString() @Length(1, 200) whyNot?: string;
}

export class UserParams {
  @Matches(TEXT_PARAM, TEXT_PARAM_MESSAGE) name!: string;
}

export class DeleteQuery {
  @QueryFlag() force: boolean = false;
}

export class ImportLogQuery {
  @IsString() @Length(1, 200) name!: string;
  @Optional() @IsIn(Object.keys(LOG_FORMATS)) format?: LogFormat;
  @Optional() @IsString() @Length(1, 253) host?: string;
  @Optional() @IsString() @Length(1, 2000) pattern?: string;
  /** The text of a mapping. */
  @Optional() @IsString() @Length(2, 20_000) mapping?: string;
  @Optional() @QueryFlag() syslog?: boolean;
  @Optional() @IsString() @Length(1, 100) zone?: string;
  @Optional() @Matches(/^\d{4}$/, { message: '$property must be a year of four digits' }) year?: string;
}

/** Of lists of a line each. */
export class ListQuery {
  @DecimalNumber() @IsOffset() offset: number = 0;
  @DecimalNumber() @IsInt() @Min(1) @Max(1000) limit: number = 100;
}

export class DatasetsQuery extends ListQuery {
  @Optional() @IsIn(DATASET_OWNERS) kind?: DatasetOwner;
}

export class ImportDatasetQuery {
  @IsIn(DATASET_OWNERS) kind!: DatasetOwner;
  @IsString() @Length(1, 200) name!: string;
  @Optional() @Matches(NAME, { message: '$property must be the name of a category' }) category?: string;
  @Optional() @IsIn(DATASET_KINDS) listKind?: DatasetKind;
  /** Activate it even where it changes much. */
  @QueryFlag() confirm: boolean = false;
  /** Replay the latest log first, to find what it would change. */
  @QueryFlag() replay: boolean = true;
}

export class ActivateDatasetInput {
  @IsBoolean() isConfirmed!: boolean;
}

export class SourceParams {
  @IsIn(DATASET_OWNERS) kind!: DatasetOwner;
  /** `country` for the country table, of which there is one. */
  @Matches(TEXT_PARAM, TEXT_PARAM_MESSAGE) name!: string;
}

export class RefreshInput {
  @IsBoolean() isConfirmed!: boolean;
}

const MAX_LOCATIONS = 20;
const MAX_MINUTES = 525_600;

export class SourceInput {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(MAX_LOCATIONS)
  @IsString({ each: true })
  @Length(1, 2000, { each: true })
  locations!: string[];
  @Optional() @Matches(NAME, { message: '$property must be the name of a category' }) category?: string;
  @Optional() @IsIn(DATASET_KINDS) listKind?: DatasetKind;
  @IsInt() @Min(5) @Max(MAX_MINUTES) everyMinutes!: number;
}

export class CorrectionParams {
  @IsIn(['country', 'category']) kind!: 'country' | 'category';
}

export class CorrectionKeyQuery {
  @IsString() @Length(1, 4000) key!: string;
}

export class CorrectionInput extends CorrectionKeyQuery {
  @IsString() @Length(1, 1000) value!: string;
  @Optional() @IsString() @Length(1, 2000) reason?: string;
}

export class CountriesQuery {
  @Optional() @DecimalNumber() @IsId() log?: number;
}

export class FeedOrderInput {
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(1000) @IsString({ each: true }) names!: string[];
}

export class FeedParams {
  @Matches(TEXT_PARAM, TEXT_PARAM_MESSAGE) name!: string;
}

export class IdentifyInput {
  @Optional() @IsString() @Length(1, 253) host?: string;
  @Optional() @IsString() @Length(1, 8000) url?: string;
  @Optional() @IsInt() @Min(0) @Max(65_535) port?: number;
  @Optional() @IsIn(['tcp', 'udp', 'icmp']) transport?: 'tcp' | 'udp' | 'icmp';
  @Optional() @IsString() @Length(1, 2000) agent?: string;
  @Optional()
  @Matches(/^(\s*[0-9a-f]{2}){1,2048}\s*$/i, {
    message: '$property must be at most 2,048 bytes as pairs of hexadecimal digits, such as "16 03 01"',
  })
  payload?: string;
}

export class PassphraseInput {
  @IsString() @Length(8, 1000) passphrase!: string;
}

/** Which requests of a log are judged, and how. */
class ReplayOptionsInput {
  @IsId() logId!: number;
  @Optional() @Matches(NAME, { message: '$property must be the name of a gate' }) gate?: string;
  @Optional() @IsIn(HELD_BEHAVIOURS) held?: HeldBehaviour;
  @Optional() @IsInstant() fromUnixMs?: number;
  @Optional() @IsInstant() toUnixMs?: number;
}

export class ReplayInput extends ReplayOptionsInput {
  /** What is published unless specified, or the draft where nothing is. */
  @Optional() @IsAgainst() against?: ReplayPolicy;
  /** Fences to judge by, instead of the draft or a revision, and what their folder is called. */
  @Optional() @IsOne(() => FenceFilesInput) fences?: FenceFilesInput;
  @Optional() @IsString() @Length(1, 200) folder?: string;
  /** What it is called. */
  @Optional() @IsString() @Length(1, 200) name?: string;
}

export class RenameReplayInput {
  /** Empty takes the name away. */
  @IsString() @Length(0, 200) name!: string;
}

export class ComparisonInput extends ReplayOptionsInput {
  @IsAgainst() before!: ReplayPolicy;
  @IsAgainst() after!: ReplayPolicy;
}

export class ChangesQuery {
  @DecimalNumber() @IsOffset() offset: number = 0;
  @DecimalNumber() @IsInt() @Min(1) @Max(1000) limit: number = 50;
  /** The place of a group in the result; all requests whose clients get another response where absent. */
  @Optional() @DecimalNumber() @IsOffset() group?: number;
}

export class DecisionsQuery {
  @DecimalNumber() @IsOffset() offset: number = 0;
  @DecimalNumber() @IsInt() @Min(1) @Max(1000) limit: number = 50;
  @Optional() @IsIn(OUTCOMES) outcome?: Outcome;
  @Optional() @IsString() @Length(1, 4000) where?: string;
}

export class IdParams {
  @DecimalNumber() @IsId() id!: number;
}

export class RowParams extends IdParams {
  @DecimalNumber() @IsOffset() row!: number;
}

/** The shapes of everything the service reads, checked by class-validator. Loaded by the service only. */
import 'reflect-metadata';
import {
  DATASET_KINDS,
  EDIT_KINDS,
  LOG_FORMATS,
  OUTCOMES,
  PEOPLE,
  STATEMENTS,
  type DatasetKind,
  type Edit,
  type LogFormat,
  type Outcome,
  type People,
  type StatementKind,
} from '@jadefence/core';
import { Transform, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsIn,
  IsInt,
  IsISO8601,
  IsObject,
  IsOptional,
  IsString,
  Length,
  Matches,
  Max,
  MaxLength,
  Min,
  ValidateBy,
  ValidateIf,
  ValidateNested,
} from 'class-validator';
import { DATASET_OWNERS, type DatasetOwner } from './reference-types.js';
import { ROLES, type Against, type Role } from './types.js';

const MAX_FILE_CHARACTERS = 20_000_000;
const MAX_FILES = 2000;
const FILE_PATH = /^(?!\/)(?!.*(^|\/)\.\.(\/|$))[^\0\\]{1,500}$/;
const FILE_PATH_MESSAGE = '$property must be a path below the folder of the fences, such as lists/touts.txt';

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

/** A key that edits of these kinds must have, with `?` may have, and all others must not have. `null` stands for taking away. */
function Needed(kinds: readonly (Edit['kind'] | `${Edit['kind']}?`)[]): PropertyDecorator {
  return (target, key) => {
    ValidateIf(({ kind }: { kind: Edit['kind'] }, value: unknown) => {
      if (kinds.includes(kind)) return true;
      if (kinds.includes(`${kind}?`)) return value !== undefined && value !== null;
      return value !== undefined;
    })(target, key);
    IsAllowedFor(kinds.map((kind) => kind.replace('?', '')))(target, key as string);
  };
}

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

export class SignInInput {
  @IsString() @Length(1, 100) name!: string;
  @IsString() @Length(1, 1000) password!: string;
}

export class CreateTokenInput {
  @IsString() @Length(1, 100) signInName!: string;
  @IsString() @Length(1, 1000) password!: string;
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
}

export class SourceFileInput {
  @Matches(FILE_PATH, { message: FILE_PATH_MESSAGE }) path!: string;
  @IsString() @Length(0, MAX_FILE_CHARACTERS) text!: string;
}

export class FenceSourcesInput {
  @IsArray()
  @ArrayMaxSize(MAX_FILES)
  @ValidateNested({ each: true })
  @Type(() => SourceFileInput)
  fenceFiles!: SourceFileInput[];
  @IsArray()
  @ArrayMaxSize(MAX_FILES)
  @ValidateNested({ each: true })
  @Type(() => SourceFileInput)
  namedFiles!: SourceFileInput[];
  /** Replaces or adds what is given and leaves the rest of the draft alone. */
  @IsOptional() @IsBoolean() isMerge: boolean = false;
}

const NAME = /^[a-z][a-z0-9-]{0,62}$/;
const MAX_EDITS = 200;
const MAX_ENTRIES = 200_000;
const MAX_TEXT_CHARACTERS = 2_000_000;

/** The draft, or the number of a revision, also as text in an address. */
function IsAgainst(): PropertyDecorator {
  return (target, key) => {
    Transform(({ value }: { value: unknown }) =>
      typeof value === 'string' && /^[1-9]\d{0,8}$/.test(value) ? Number(value) : value,
    )(target, key);
    ValidateIf((_, value) => value !== 'draft')(target, key);
    IsInt({ message: '$property must be "draft" or the number of a revision' })(target, key as string);
    Min(1, { message: '$property must be "draft" or the number of a revision' })(target, key as string);
  };
}

export class PositionInput {
  @IsIn(['top', 'bottom', 'above', 'below']) at!: 'top' | 'bottom' | 'above' | 'below';
  @ValidateIf(({ at }: PositionInput) => at === 'above' || at === 'below') @Matches(NAME) name?: string;
}

/** Any edit: which keys it needs besides `kind` is told by its kind. */
export class EditInput {
  @IsIn(EDIT_KINDS) kind!: Edit['kind'];
  @Needed(['put', 'add-rule', 'replace-rule', 'put-file']) @IsString() @MaxLength(MAX_TEXT_CHARACTERS) text?: string;
  @Needed(['remove', 'rename']) @IsIn(STATEMENTS) part?: StatementKind;
  @Needed(['remove', 'rename', 'clone-rule?']) @IsString() @Length(1, 2000) name?: string;
  @Needed(['rename', 'rename-rule']) @IsString() @Length(1, 100) to?: string;
  @Needed(RULE_EDITS) @Matches(NAME, { message: '$property must be the name of a fence' }) fence?: string;
  @Needed(RULE_EDITS.filter((kind) => kind.endsWith('rule') && kind !== 'add-rule'))
  @Matches(NAME, { message: '$property must be the name of a rule' })
  rule?: string;
  @Needed(['add-rule', 'move-rule', 'attach'])
  @IsObject()
  @ValidateNested()
  @Type(() => PositionInput)
  position?: PositionInput;
  @Needed(['set-rule?']) @IsIn(['on', 'trial', 'off']) state?: 'on' | 'trial' | 'off';
  @Needed(['set-rule?']) @IsString() @MaxLength(500) title?: string | null;
  @Needed(['set-rule?']) @IsString() @MaxLength(40) until?: string | null;
  @Needed(['set-rule?']) @IsString() @MaxLength(500) owner?: string | null;
  @Needed(['set-rule?']) @IsString() @MaxLength(2000) reason?: string | null;
  @Needed(['set-mode']) @IsIn(['trial', 'enforce']) mode?: 'trial' | 'enforce';
  @Needed(['edit-list']) @Matches(NAME, { message: '$property must be the name of a list' }) list?: string;
  @Needed(['edit-list']) @IsArray() @ArrayMaxSize(MAX_ENTRIES) @IsString({ each: true }) add?: string[];
  @Needed(['edit-list']) @IsArray() @ArrayMaxSize(MAX_ENTRIES) @IsString({ each: true }) remove?: string[];
  @Needed(['attach', 'detach']) @Matches(NAME, { message: '$property must be the name of a gate' }) gate?: string;
  @Needed(['put-file']) @Matches(FILE_PATH, { message: FILE_PATH_MESSAGE }) path?: string;
  @Needed(['start-from']) @IsString() @Length(1, 100) startingPoint?: string;
}

export class EditsInput {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(MAX_EDITS)
  @ValidateNested({ each: true })
  @Type(() => EditInput)
  edits!: EditInput[];
}

export class OnlyPartInput {
  @IsIn(STATEMENTS) part!: StatementKind;
  @IsString() @Length(1, 2000) name!: string;
}

export class PublishRevisionInput {
  @IsString() @Length(1, 2000) note!: string;
  @IsOptional()
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(MAX_FILES)
  @ValidateNested({ each: true })
  @Type(() => OnlyPartInput)
  only?: OnlyPartInput[];
  @IsOptional() @IsBoolean() isForced?: boolean;
}

export class RestoreInput {
  @IsOptional() @IsString() @Length(1, 2000) note?: string;
}

export class DiffQuery {
  @IsAgainst() from!: Against;
  @IsAgainst() to!: Against;
}

export class NameParams {
  @Matches(NAME, { message: '$property must be a name' }) name!: string;
}

export class LookUpQuery {
  @IsString() @Length(1, 4000) value!: string;
}

export class CountMatchesInput {
  @IsString() @Length(1, 20_000) text!: string;
  @IsOptional() @Matches(NAME, { message: '$property must be the name of a fence' }) fence?: string;
}

export class PageQuery {
  @Type(() => Number) @IsInt() @Min(0) offset: number = 0;
  @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit: number = 50;
}

export class HeaderInput {
  @Matches(/^[!#$%&'*+.^_`|~0-9A-Za-z-]{1,200}$/, { message: '$property must be the name of a header' }) name!: string;
  @IsString() @MaxLength(8000) value!: string;
}

export class TryRequestInput {
  @IsString() @Length(1, 100) client!: string;
  @IsString() @Length(1, 8000) url!: string;
  @IsOptional() @IsString() @Length(1, 40) method?: string;
  @IsOptional() @IsISO8601({ strict: true }) at?: string;
  @IsOptional() @IsAgainst() against?: Against;
  @IsOptional()
  @IsArray()
  @ArrayMaxSize(100)
  @ValidateNested({ each: true })
  @Type(() => HeaderInput)
  headers?: HeaderInput[];
  @IsOptional() @IsString() @Length(1, 200) user?: string;
  @IsOptional() @IsString() @Length(1, 100) peer?: string;
}

export class NewTokenInput {
  @IsString() @Length(1, 100) name!: string;
  @IsIn(ROLES) scope!: Role;
  @IsOptional() @IsInt() @Min(1) @Max(3650) expiresInDays?: number;
}

export class ResetPasswordInput {
  @IsString() @Length(1, 100) name!: string;
}

export class DeleteLogQuery {
  @IsOptional() @IsIn(['true']) force?: 'true';
}

export class ImportLogQuery {
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @IsIn(Object.keys(LOG_FORMATS)) format?: LogFormat;
  @IsOptional() @IsString() @Length(1, 253) host?: string;
  @IsOptional() @IsString() @Length(1, 2000) pattern?: string;
  /** The text of a mapping. */
  @IsOptional() @IsString() @Length(2, 20_000) mapping?: string;
  @IsOptional() @IsIn(['true']) syslog?: 'true';
  @IsOptional() @IsString() @Length(1, 100) zone?: string;
  @IsOptional() @Matches(/^\d{4}$/, { message: '$property must be a year of four digits' }) year?: string;
}

export class DatasetsQuery {
  @IsOptional() @IsIn(DATASET_OWNERS) kind?: DatasetOwner;
}

export class ImportDatasetQuery {
  @IsIn(DATASET_OWNERS) kind!: DatasetOwner;
  @IsString() @Length(1, 200) name!: string;
  @IsOptional() @Matches(NAME, { message: '$property must be the name of a category' }) category?: string;
  @IsOptional() @IsIn(DATASET_KINDS) listKind?: DatasetKind;
  @IsOptional() @IsIn(['true']) yes?: 'true';
  @IsOptional() @IsIn(['no']) replay?: 'no';
}

export class UseDatasetInput {
  @IsBoolean() isConfirmed!: boolean;
}

export class SourceKeyInput {
  @IsIn(DATASET_OWNERS) kind!: DatasetOwner;
  /** Empty for the country table, of which there is one. */
  @IsString() @Length(0, 200) name!: string;
}

export class RefreshInput extends SourceKeyInput {
  @IsBoolean() isConfirmed!: boolean;
}

const MAX_LOCATIONS = 20;
const MAX_MINUTES = 525_600;

export class SourceInput extends SourceKeyInput {
  @IsArray()
  @ArrayMinSize(1)
  @ArrayMaxSize(MAX_LOCATIONS)
  @IsString({ each: true })
  @Length(1, 2000, { each: true })
  locations!: string[];
  @IsOptional() @Matches(NAME, { message: '$property must be the name of a category' }) category?: string;
  @IsOptional() @IsIn(DATASET_KINDS) listKind?: DatasetKind;
  @IsInt() @Min(5) @Max(MAX_MINUTES) everyMinutes!: number;
}

export class CorrectionParams {
  @IsIn(['country', 'category']) kind!: 'country' | 'category';
}

export class RemoveCorrectionInput {
  @IsString() @Length(1, 4000) key!: string;
}

export class CorrectionInput extends RemoveCorrectionInput {
  @IsString() @Length(1, 1000) value!: string;
  @IsOptional() @IsString() @Length(1, 2000) reason?: string;
}

export class CountriesQuery {
  @IsOptional() @Type(() => Number) @IsInt() @Min(1) @Max(2_147_483_647) log?: number;
}

export class FeedOrderInput {
  @IsArray() @ArrayMinSize(1) @ArrayMaxSize(1000) @IsString({ each: true }) names!: string[];
}

export class NameQuery {
  @IsString() @Length(1, 200) name!: string;
}

export class IdentifyInput {
  @IsOptional() @IsString() @Length(1, 253) host?: string;
  @IsOptional() @IsString() @Length(1, 8000) url?: string;
  @IsOptional() @IsInt() @Min(0) @Max(65_535) port?: number;
  @IsOptional() @IsIn(['tcp', 'udp', 'icmp']) transport?: 'tcp' | 'udp' | 'icmp';
  @IsOptional() @IsString() @Length(1, 2000) agent?: string;
  @IsOptional()
  @Matches(/^(\s*[0-9a-f]{2}){1,2048}\s*$/i, {
    message: '$property must be at most 2,048 bytes as pairs of hexadecimal digits, such as "16 03 01"',
  })
  payload?: string;
}

export class PassphraseInput {
  @IsString() @Length(4, 1000) passphrase!: string;
}

export class StartReplayInput {
  @IsInt() @Min(1) logId!: number;
  @IsOptional() @Matches(/^[a-z][a-z0-9-]{0,62}$/, { message: '$property must be the name of a gate' }) gate?: string;
  @IsOptional() @IsAgainst() against?: Against;
  @IsOptional() @IsIn(PEOPLE) people?: People;
  @IsOptional() @IsInt() fromUnixMs?: number;
  @IsOptional() @IsInt() toUnixMs?: number;
  /** Fences to judge by, instead of the draft or a revision, and what their folder is called. */
  @IsOptional() @ValidateNested() @Type(() => FenceSourcesInput) fences?: FenceSourcesInput;
  @IsOptional() @IsString() @Length(1, 200) folder?: string;
}

export class StartComparisonInput {
  @IsInt() @Min(1) logId!: number;
  @IsAgainst() before!: Against;
  @IsAgainst() after!: Against;
  @IsOptional() @Matches(/^[a-z][a-z0-9-]{0,62}$/, { message: '$property must be the name of a gate' }) gate?: string;
  @IsOptional() @IsIn(PEOPLE) people?: People;
  @IsOptional() @IsInt() fromUnixMs?: number;
  @IsOptional() @IsInt() toUnixMs?: number;
}

export class ChangesQuery {
  @Type(() => Number) @IsInt() @Min(0) offset: number = 0;
  @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit: number = 50;
  /** The place of a group in the result; all requests whose clients are told something else where absent. */
  @IsOptional() @Type(() => Number) @IsInt() @Min(0) group?: number;
}

export class DecisionsQuery {
  @Type(() => Number) @IsInt() @Min(0) offset: number = 0;
  @Type(() => Number) @IsInt() @Min(1) @Max(1000) limit: number = 50;
  @IsOptional() @IsIn(OUTCOMES) outcome?: Outcome;
  @IsOptional() @IsString() @Length(1, 4000) where?: string;
}

export class IdParams {
  @Type(() => Number) @IsInt() @Min(1) @Max(2_147_483_647) id!: number;
}

export class RowParams extends IdParams {
  @Type(() => Number) @IsInt() @Min(0) @Max(9_007_199_254_740_991) row!: number;
}

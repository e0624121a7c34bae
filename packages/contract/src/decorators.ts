/** What inputs have in common, as decorators for class-validator. */
import { Transform, Type } from 'class-transformer';
import {
  ArrayMaxSize,
  ArrayMinSize,
  IsArray,
  IsBoolean,
  IsInt,
  IsObject,
  Max,
  Min,
  ValidateIf,
  ValidateNested,
} from 'class-validator';

/** As large as the database lets the number of anything be. */
const MAX_ID = 2_147_483_647;
/** How far from its epoch an instant may be (ECMA-262, 21.4.1.1). */
const MAX_UNIX_MS = 8_640_000_000_000_000;
const AGAINST = { message: '$property must be "draft" or the number of a revision' };

function all(...decorators: readonly PropertyDecorator[]): PropertyDecorator {
  return (target, key) => decorators.forEach((decorate) => decorate(target, key));
}

/** May be left out; `null` is a value and not the same. */
export function Optional(): PropertyDecorator {
  return ValidateIf((_, value) => value !== undefined);
}

/** The number of a thing that the service keeps. */
export function IsId(): PropertyDecorator {
  return all(IsInt(), Min(1), Max(MAX_ID));
}

/** How many of a list are passed over. */
export function IsOffset(): PropertyDecorator {
  return all(IsInt(), Min(0), Max(Number.MAX_SAFE_INTEGER));
}

/** Milliseconds since 1970. */
export function IsInstant(): PropertyDecorator {
  return all(IsInt(), Min(-MAX_UNIX_MS), Max(MAX_UNIX_MS));
}

/** The draft, or the number of a revision, also as text in an address. */
export function IsAgainst(): PropertyDecorator {
  return all(
    Transform(({ value }: { value: unknown }) =>
      typeof value === 'string' && /^[1-9]\d{0,9}$/.test(value) ? Number(value) : value,
    ),
    ValidateIf((_, value) => value !== 'draft'),
    IsInt(AGAINST),
    Min(1, AGAINST),
    Max(MAX_ID, AGAINST),
  );
}

/** A whole number in an address: plain decimal digits, so that one thing has one address. */
export function DecimalNumber(): PropertyDecorator {
  return Transform(({ value }: { value: unknown }) =>
    typeof value === 'string' ? (/^(0|[1-9]\d{0,15})$/.test(value) ? Number(value) : Number.NaN) : value,
  );
}

/** `true` or `false` in an address. */
export function QueryFlag(): PropertyDecorator {
  return all(
    Transform(({ value }: { value: unknown }) => (value === 'true' ? true : value === 'false' ? false : value)),
    IsBoolean({ message: '$property must be true or false' }),
  );
}

/** An object of a class. */
export function IsOne(type: () => new () => object): PropertyDecorator {
  return all(IsObject(), ValidateNested(), Type(type));
}

/** Objects of a class. */
export function IsListOf(
  type: () => new () => object,
  { min = 0, max }: { readonly min?: number; readonly max: number },
): PropertyDecorator {
  return all(
    IsArray(),
    ArrayMinSize(min),
    ArrayMaxSize(max),
    IsObject({ each: true }),
    ValidateNested({ each: true }),
    Type(type),
  );
}

/** A map with a figure for each country. Loaded only where it is shown, since its outlines are large. */
import { countryNumber, OUTLINES, shadeOf, WORLD_HEIGHT, WORLD_WIDTH } from '@jadefence/contract/world';

/** A country that is coloured. */
export interface MappedCountry {
  /** ISO 3166-1 alpha-2. */
  readonly code: string;
  readonly value: number;
  /** What its figure is, in words. */
  readonly text: string;
}

interface WorldMapProps {
  /** For those who do not see it. */
  readonly label: string;
  readonly countries: readonly MappedCountry[];
  /** What the colours mean: of countries that are not among these, of those without a figure, and of the one with most. */
  readonly legend: { readonly missing: string; readonly none?: string; readonly most: (value: number) => string };
  /** A click; the same has to be offered elsewhere for those without a pointer. */
  readonly onChoose?: (code: string) => void;
}

export default function WorldMap({ label, countries, legend, onChoose }: WorldMapProps) {
  const most = Math.max(1, ...countries.map(({ value }) => value));
  const byNumber = new Map(countries.map((country) => [countryNumber(country.code), country]));
  return (
    <figure className="px-4 pt-4">
      <svg viewBox={`0 0 ${WORLD_WIDTH} ${WORLD_HEIGHT}`} role="img" aria-label={label} className="w-full">
        {OUTLINES.map(({ number, name, path }, index) => {
          const country = number === undefined ? undefined : byNumber.get(number);
          const isChosen = country !== undefined && onChoose !== undefined;
          return (
            <path
              key={`${number} ${index}`}
              d={path}
              stroke="var(--color-surface)"
              strokeWidth={0.5}
              fill={colourOf(country?.value, most)}
              className={isChosen ? 'cursor-pointer' : undefined}
              onClick={isChosen ? () => onChoose(country.code) : undefined}
            >
              <title>{country ? country.text : `${name}: ${legend.missing}`}</title>
            </path>
          );
        })}
      </svg>
      <figcaption className="flex flex-wrap items-center gap-x-4 gap-y-1 pb-2 text-xs text-muted">
        <Key colour={colourOf(undefined, most)} text={legend.missing} />
        {legend.none !== undefined && <Key colour={colourOf(0, most)} text={legend.none} />}
        <Key colour={colourOf(most, most)} text={legend.most(most)} />
      </figcaption>
    </figure>
  );
}

function colourOf(value: number | undefined, most: number): string {
  if (value === undefined) return 'var(--color-sunken)';
  if (value === 0) return 'var(--color-jade-soft)';
  return `color-mix(in oklab, var(--color-jade) ${20 + shadeOf(value, most) * 16}%, var(--color-jade-soft))`;
}

function Key({ colour, text }: { colour: string; text: string }) {
  return (
    <span className="inline-flex items-center gap-1.5">
      <span aria-hidden className="size-3 rounded-sm border border-line" style={{ background: colour }} />
      {text}
    </span>
  );
}

import { formatTime, parseTime, zoneName } from '../format.js';
import { TextField } from './text-field.js';

/** An instant, as a date and a time in the zone that is chosen; undefined where none is given. */
export function InstantField({
  label,
  value,
  min,
  max,
  onChange,
}: {
  label: string;
  /** Milliseconds since the epoch, as the others. */
  value: number | undefined;
  min?: number;
  max?: number;
  onChange: (value: number | undefined) => void;
}) {
  const text = (atUnixMs: number | undefined): string =>
    atUnixMs === undefined ? '' : formatTime(atUnixMs).replace(' ', 'T');
  return (
    <TextField
      label={`${label} (${zoneName()})`}
      type="datetime-local"
      step={1}
      min={text(min)}
      max={text(max)}
      value={text(value)}
      onChange={(event) => onChange(parseTime(event.target.value))}
    />
  );
}

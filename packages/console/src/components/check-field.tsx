const STYLE = 'size-4 shrink-0 cursor-pointer accent-jade';

/** The box alone, within a label. @param label where it is not within one */
export function CheckBox({
  label,
  isOn,
  onChange,
}: {
  label?: string;
  isOn: boolean;
  /** @param isRange Shift was held: up to here from the last one */
  onChange: (isOn: boolean, isRange: boolean) => void;
}) {
  // The browser's own box: a page has as many as a log has rules, and any other costs more to draw.
  return (
    <input
      type="checkbox"
      aria-label={label}
      checked={isOn}
      onChange={({ target, nativeEvent }) =>
        onChange(target.checked, nativeEvent instanceof MouseEvent && nativeEvent.shiftKey)
      }
      className={STYLE}
    />
  );
}

/** Yes or no, as a box to tick. */
export function CheckField({
  label,
  isOn,
  onChange,
}: {
  label: string;
  isOn: boolean;
  onChange: (isOn: boolean) => void;
}) {
  return (
    <label className="flex cursor-pointer items-center gap-2 text-sm">
      <CheckBox isOn={isOn} onChange={onChange} />
      {label}
    </label>
  );
}

import { useState } from 'react';
import { wholeOf, type AddressState } from '../../address-state.js';
import { Button } from '../../components/button.js';
import { SuggestButton } from './suggest-dialog.js';

const MOST = 100;

/** Requests that are chosen one by one, by their lines; the address has them. */
export interface ChosenLines {
  readonly lines: readonly number[];
  readonly choose: (line: number, isChosen: boolean) => void;
  readonly clear: () => void;
}

export function useChosenLines({ get, set }: AddressState): ChosenLines {
  const inAddress = get('chosen') ?? '';
  // Shown at once; the address follows.
  const [text, setText] = useState(inAddress);
  const [seen, setSeen] = useState(inAddress);
  if (seen !== inAddress) {
    setSeen(inAddress);
    setText(inAddress);
  }
  const lines = text.split(' ').flatMap((part) => wholeOf(part) ?? []);
  const put = (to: readonly number[]): void => {
    setText(to.join(' '));
    set({ chosen: to.length === 0 ? undefined : to.join(' ') }, true);
  };
  return {
    lines,
    choose: (line, isChosen) =>
      put(isChosen ? [...lines, line].sort((a, b) => a - b) : lines.filter((one) => one !== line)),
    clear: () => put([]),
  };
}

export function ChooseBox({ line, chosen: { lines, choose } }: { line: number; chosen: ChosenLines }) {
  const isChosen = lines.includes(line);
  return (
    <input
      type="checkbox"
      aria-label={`Choose line ${line}`}
      title="Choose requests, to have a rule suggested that stops them"
      className="size-4 cursor-pointer accent-jade"
      checked={isChosen}
      disabled={!isChosen && lines.length >= MOST}
      onClick={(event) => event.stopPropagation()}
      onChange={(event) => choose(line, event.target.checked)}
    />
  );
}

/** Suggests a rule for what is chosen, or else for what the filter finds. @param where the filter, where there is one */
export function SuggestFor({ replayId, chosen, where }: { replayId: number; chosen: ChosenLines; where?: string }) {
  if (chosen.lines.length > 0) return <SuggestForChosen replayId={replayId} chosen={chosen} />;
  return where === undefined ? null : <SuggestButton replayId={replayId} stop={where} />;
}

function SuggestForChosen({ replayId, chosen: { lines, clear } }: { replayId: number; chosen: ChosenLines }) {
  return (
    <>
      <SuggestButton replayId={replayId} stop={`line in ${lines.join(', ')}`} chosen={lines.length} />
      <Button size="small" onClick={clear}>
        Choose none
      </Button>
    </>
  );
}

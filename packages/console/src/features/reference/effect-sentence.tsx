import type { DatasetEffect } from '@jadefence/contract';
import { Link } from 'react-router';
import { formatCount } from '../../format.js';

/** What a dataset changed in the decisions of the latest log, with the replay that found it. */
export function EffectSentence({ effect }: { effect: DatasetEffect | null }) {
  if (!effect) return null;
  const { changed, requests, logName, newlyStopped, newlyAllowed, replayId } = effect;
  return (
    <p>
      {changed === 0
        ? `It changes none of the ${formatCount(requests)} decisions of ${logName}`
        : `It changes ${formatCount(changed)} of the ${formatCount(requests)} decisions of ${logName}: ${formatCount(newlyStopped)} newly stopped, ${formatCount(newlyAllowed)} newly allowed`}{' '}
      (
      <Link to={`/replays/${replayId}`} className="text-jade-strong underline">
        replay {replayId}
      </Link>
      ).
    </p>
  );
}

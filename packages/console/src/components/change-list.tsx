import type { AuthoredChange } from '@jadefence/contract';
import type { DescribedChange } from '@jadefence/core/edit';
import { Button } from './button.js';
import { formatMinute } from '../format.js';

const SIGNS = { added: '+', removed: '−', changed: '~', moved: '↕' } as const;
const SIGN_STYLES = {
  added: 'text-allowed',
  removed: 'text-blocked',
  changed: 'text-limited',
  moved: 'text-redirected',
};

/** Changes in words, with who made them where that is known. @param onDiscard makes one what it was */
export function ChangeList({
  changes,
  onDiscard,
}: {
  changes: readonly (DescribedChange | AuthoredChange)[];
  onDiscard?: (change: DescribedChange) => void;
}) {
  return (
    <ul className="grid min-w-0 grow gap-2 text-sm">
      {changes.map((change) => (
        <li key={`${change.kind} ${change.part} ${change.name}`}>
          <p>
            <span aria-hidden className={`mr-2 font-mono font-semibold ${SIGN_STYLES[change.kind]}`}>
              {SIGNS[change.kind]}
            </span>
            {change.summary}
            {'changedAt' in change && change.changedAt && (
              <span className="text-muted">
                {' '}
                {change.changedBy ?? 'unknown'}, {formatMinute(change.changedAt)}
              </span>
            )}
            {onDiscard && (
              <Button
                size="small"
                className="ml-2"
                aria-label={`Discard: ${change.summary}`}
                onClick={() => onDiscard(change)}
              >
                Discard
              </Button>
            )}
          </p>
          {change.details.map((detail) => (
            <p key={detail} className="ml-5 text-muted">
              {detail}
            </p>
          ))}
        </li>
      ))}
    </ul>
  );
}

import { useQuery } from '@tanstack/react-query';
import type { ReplayPolicy } from '@jadefence/contract';
import { useState } from 'react';
import { diffQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ChangeList } from '../../components/change-list.js';
import { Loaded } from '../../components/loaded.js';
import { RevisionMeaning } from './meaning-card.js';

/** What changes from a revision to another, or to the draft: in sentences, or as text. */
export function Diff({ from, to }: { from: number; to: ReplayPolicy }) {
  const diff = useQuery(diffQuery(from, to));
  const [isText, setText] = useState(false);
  const [isMeaning, setMeaning] = useState(false);
  return (
    <Loaded query={diff}>
      {({ changes, text }) =>
        changes.length === 0 ? (
          <p className="text-muted">Nothing differs from revision {from}.</p>
        ) : (
          <div className="grid gap-3">
            {isText ? (
              <pre tabIndex={0} className="overflow-x-auto rounded-lg bg-sunken p-3 font-mono text-xs">
                {text}
              </pre>
            ) : (
              <ChangeList changes={changes} />
            )}
            <div className="flex gap-2">
              <Button size="small" onClick={() => setText(!isText)}>
                {isText ? 'As sentences' : 'As text'}
              </Button>
              <Button size="small" aria-expanded={isMeaning} onClick={() => setMeaning(!isMeaning)}>
                Which requests change
              </Button>
            </div>
            {isMeaning && <RevisionMeaning from={from} to={to} />}
          </div>
        )
      }
    </Loaded>
  );
}

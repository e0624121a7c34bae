import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import type { ChangeSelector, DraftChanges, PartSelector, Revision } from '@jadefence/contract';
import type { DescribedChange } from '@jadefence/core/edit';
import { useState } from 'react';
import { service } from '../../api/client.js';
import { draftChangesQuery, LIST_ROWS, revisionsQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { ListPager } from '../../components/pager.js';
import { ChangeList } from '../../components/change-list.js';
import { EffectCard } from '../evidence/effect-card.js';
import { Diff } from './diff.js';
import { ExportButton } from './export-button.js';
import { DraftMeaningCard } from './meaning-card.js';
import { PublishForm } from './publish-form.js';
import { RestoreForm } from './restore-form.js';
import { formatMinute } from '../../format.js';

/** What the draft changes, publishing it, and what was published before. */
export function RevisionsPage() {
  const [offset, setOffset] = useState(0);
  const changes = useQuery(draftChangesQuery);
  const revisions = useQuery(revisionsQuery(offset));
  return (
    <>
      <PageHeading title="Revisions">
        Publishing makes the draft the next revision. Nothing enforces this yet: it is what replays and tries judge by.
      </PageHeading>
      <Loaded query={changes}>{(data) => <DraftCard changes={data} />}</Loaded>
      {changes.data && changes.data.changes.length > 0 && (
        <>
          {changes.data.against !== null && <DraftMeaningCard />}
          <EffectCard />
        </>
      )}
      {revisions.data && revisions.data.length > 0 && <DraftAgainstCard revisions={revisions.data} />}
      <Loaded query={revisions}>
        {(all) =>
          all.length === 0 && offset === 0 ? (
            <EmptyState title="Nothing is published yet">Publishing the draft makes revision 1.</EmptyState>
          ) : (
            <>
              {all.map((revision) => (
                <RevisionCard key={revision.number} revision={revision} />
              ))}
              <ListPager offset={offset} numShown={all.length} pageRows={LIST_ROWS} onOffset={setOffset} />
            </>
          )
        }
      </Loaded>
    </>
  );
}

/** The statement that a change belongs to: a rule is published with its fence. */
function statementOf({ part, name }: DescribedChange): PartSelector | undefined {
  if (part === 'file' || part === 'dataset') return undefined;
  return part === 'rule' ? { part: 'fence', name: name.slice(0, name.indexOf('/')) } : { part, name };
}

const keyOf = (only: PartSelector): string => `${only.part} ${only.name}`;

/** Makes one change, or all, what is published again; like every edit, that can be undone. */
function useDiscard(version: number) {
  const client = useQueryClient();
  const { mutate, error, isPending } = useMutation({
    mutationFn: (only: readonly ChangeSelector[] | undefined) => service.discard(only, version),
    onSettled: () => client.invalidateQueries({ queryKey: ['draft'] }),
  });
  const discard = (change?: DescribedChange): void => {
    if (!change) mutate(undefined);
    else if (change.part !== 'dataset') mutate([{ part: change.part, name: change.name }]);
  };
  return { discard, error, isPending };
}

function DraftCard({ changes }: { changes: DraftChanges }) {
  const [leftOut, setLeftOut] = useState<ReadonlySet<string>>(new Set());
  const statements = new Map(
    changes.changes.flatMap((change) => {
      const only = statementOf(change);
      return only ? [[keyOf(only), only] as const] : [];
    }),
  );
  const { discard, error: discardError, isPending: isDiscarding } = useDiscard(changes.version);
  const toggle = (key: string): void =>
    setLeftOut((left) => new Set(left.has(key) ? [...left].filter((text) => text !== key) : [...left, key]));
  const against = changes.against === null ? 'nothing is published' : `against revision ${changes.against}`;
  return (
    <Card title="The draft" aside={<span className="text-sm text-muted">{against}</span>}>
      {changes.changes.length === 0 ? (
        <p className="p-4 text-sm text-muted">
          {changes.against === null ? 'There is nothing in it yet.' : 'Nothing differs from what is published.'}
        </p>
      ) : (
        <div className="grid gap-4 p-4">
          {[...statements].map(([key]) => (
            <div key={key} className="flex items-start gap-3 text-sm">
              <input
                type="checkbox"
                checked={!leftOut.has(key)}
                onChange={() => toggle(key)}
                className="mt-1 accent-jade"
                aria-label={`Publish ${key}`}
              />
              <ChangeList
                changes={changes.changes.filter((change) => {
                  const only = statementOf(change);
                  return only && keyOf(only) === key;
                })}
                onDiscard={discard}
              />
            </div>
          ))}
          <ChangeList changes={changes.changes.filter(({ part }) => part === 'file')} onDiscard={discard} />
          {discardError && <ErrorNotice error={discardError} />}
          <PublishForm
            version={changes.version}
            only={leftOut.size > 0 ? [...statements.values()].filter((item) => !leftOut.has(keyOf(item))) : undefined}
            isDiscarding={isDiscarding}
            onDiscard={() => discard()}
            onPublished={() => setLeftOut(new Set())}
          />
        </div>
      )}
    </Card>
  );
}

function RevisionCard({ revision }: { revision: Revision }) {
  const [isOpen, setOpen] = useState(false);
  const [isRestoring, setRestoring] = useState(false);
  const { number, note, publishedBy, publishedAt, isPublished, isForced } = revision;
  return (
    <Card
      title={
        <>
          Revision {number}
          {isPublished && (
            <span className="rounded-full bg-jade-soft px-2 py-0.5 text-xs font-medium text-jade-strong">
              published
            </span>
          )}
          {isForced && (
            <span className="text-xs font-normal text-limited">
              forced: expectations were not met, or protected clients are stopped
            </span>
          )}
        </>
      }
      aside={
        <span className="flex gap-2">
          <ExportButton number={number} />
          {number > 1 && (
            <Button size="small" onClick={() => setOpen(!isOpen)} aria-expanded={isOpen}>
              Changes
            </Button>
          )}
          {!isPublished && (
            <Button size="small" onClick={() => setRestoring(true)}>
              Publish again
            </Button>
          )}
        </span>
      }
    >
      <div className="grid gap-3 px-4 py-3 text-sm">
        <p>
          {note}{' '}
          <span className="text-muted">
            {publishedBy ?? 'unknown'}, {formatMinute(publishedAt)}
          </span>
        </p>
        {isRestoring && <RestoreForm number={number} onClose={() => setRestoring(false)} />}
        {isOpen && <Diff from={number - 1} to={number} />}
      </div>
    </Card>
  );
}

/** The draft compared with any revision. */
function DraftAgainstCard({ revisions }: { revisions: readonly Revision[] }) {
  const [number, setNumber] = useState<number>();
  return (
    <Card
      title="The draft against a revision"
      aside={
        <Choice
          label="Against"
          value={number ?? 0}
          options={[
            { value: 0, text: 'choose …' },
            ...revisions.map((revision) => ({ value: revision.number, text: `revision ${revision.number}` })),
          ]}
          onChange={(chosen) => setNumber(chosen === 0 ? undefined : chosen)}
        />
      }
    >
      {number !== undefined && (
        <div className="p-4 text-sm">
          <Diff from={number} to="draft" />
        </div>
      )}
    </Card>
  );
}

import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';
import { undecidedText } from '@jadefence/core/findings';
import { useAddressState } from '../../address-state.js';
import { useEdit } from '../../api/edit.js';
import { replaysQuery } from '../../api/queries.js';
import { Choice } from '../../components/choice.js';
import { Card, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loading } from '../../components/loaded.js';
import { INPUT_STYLE } from '../../components/text-field.js';
import { countOf } from '../../format.js';
import { FindingList, type Level } from './finding-list.js';
import { TrafficCard } from './traffic-card.js';
import { shownFindings, useReview } from './use-findings.js';

const LEVELS = [
  { value: 'note', text: 'all levels' },
  { value: 'warning', text: 'errors and warnings' },
  { value: 'error', text: 'errors' },
] as const;
const ORDER: readonly Level[] = ['error', 'warning', 'note'];
const TITLES: Readonly<Record<Level, string>> = { error: 'Errors', warning: 'Warnings', note: 'Notes' };

/** What is wrong with the rules of the draft, found without any log, and what the latest replay shows. */
export function FindingsPage() {
  const { draft, review, error } = useReview();
  const edit = useEdit();
  const { get, set } = useAddressState();
  const least = (get('level') ?? 'warning') as Level;
  const text = get('text') ?? '';
  if (!draft) return <Loading />;
  const all = shownFindings(draft, review);
  const wanted = text.toLowerCase();
  const shown = all.filter(
    ({ level, message, id = '' }) =>
      ORDER.indexOf(level) <= ORDER.indexOf(least) && `${id} ${message}`.toLowerCase().includes(wanted),
  );
  return (
    <>
      <PageHeading title="Findings">
        What is wrong with the rules of the draft, proved over all requests there can be, and what the latest replay
        shows.
      </PageHeading>
      {error && <ErrorNotice error={error} />}
      {edit.error && <ErrorNotice error={edit.error} />}
      <div className="mb-4 flex flex-wrap items-center gap-3 text-sm">
        <input
          aria-label="Show only findings with this text"
          placeholder="Show only findings with …"
          value={text}
          onChange={(event) => set({ text: event.target.value }, true)}
          className={`${INPUT_STYLE} max-w-64`}
        />
        <Choice label="Show" value={least} options={LEVELS} onChange={(level) => set({ level }, true)} />
        <span role="status" className="text-muted">
          {countOf(shown.length, 'finding')} of {all.length}
          {review && `, ${countOf(review.checked.rules, 'rule')} at ${countOf(review.checked.gates, 'gate')}`}
          {review && review.ignored.length > 0 && `, ${review.ignored.length} ignored`}
        </span>
      </div>
      {!review && !error && <Loading />}
      {review && shown.length === 0 && <p className="text-sm text-muted">Nothing of this kind was found.</p>}
      {ORDER.map((level) => {
        const ofLevel = shown.filter((finding) => finding.level === level);
        return (
          ofLevel.length > 0 && (
            <Card key={level} title={TITLES[level]}>
              <FindingList findings={ofLevel} isWhole isBusy={edit.isPending} onFix={(edits) => edit.mutate(edits)} />
            </Card>
          )
        );
      })}
      <LatestTraffic />
      {review && review.undecided.length > 0 && (
        <Card title="Not decided">
          <ul className="grid gap-1 p-4 text-sm">
            {undecidedText(review.undecided).map((text) => (
              <li key={text}>{text}</li>
            ))}
          </ul>
        </Card>
      )}
    </>
  );
}

/** Concluded from the decisions of a log, with its numbers. */
function LatestTraffic() {
  const latest = useQuery(replaysQuery()).data?.find(({ state }) => state === 'done');
  const navigate = useNavigate();
  if (!latest) return null;
  return (
    <TrafficCard
      replayId={latest.id}
      title={`From replay ${latest.id}: ${latest.name ?? latest.logName}`}
      onFilter={(where) => void navigate(`/replays/${latest.id}?${new URLSearchParams({ where })}`)}
    />
  );
}

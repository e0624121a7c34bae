import { Link } from 'react-router';
import { useEdit } from '../../api/edit.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { countOf } from '../../format.js';
import { FindingList } from '../findings/finding-list.js';
import { shownFindings, useReview } from '../findings/use-findings.js';

/** What keeps the draft from judging, or what is probably wrong with it; notes are on their page. */
export function FindingsCard() {
  const { draft, review, error } = useReview();
  const edit = useEdit();
  if (!draft || draft.gates.length + draft.fences.length + draft.lists.length === 0) return null;
  const all = shownFindings(draft, review);
  const shown = all.filter(({ level }) => level !== 'note');
  const numNotes = all.length - shown.length;
  return (
    <Card
      title="Findings"
      aside={
        review && (
          <Link to="/findings?level=note" className="text-sm text-jade underline underline-offset-4">
            {countOf(numNotes, 'note')}
          </Link>
        )
      }
    >
      {edit.error && <ErrorNotice error={edit.error} />}
      {shown.length === 0 ? (
        <p className="p-4 text-sm text-muted">
          {review
            ? 'No mistake was found in the rules of the draft.'
            : error
              ? 'The rules of the draft could not be reviewed.'
              : 'Loading …'}
        </p>
      ) : (
        <div className="max-h-80 overflow-y-auto">
          <FindingList findings={shown} isBusy={edit.isPending} onFix={(edits) => edit.mutate(edits)} />
        </div>
      )}
    </Card>
  );
}

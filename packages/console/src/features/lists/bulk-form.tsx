import type { ListInfo } from '@jadefence/contract';
import { useEffect, useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { INPUT_STYLE } from '../../components/text-field.js';
import { useUnsaved } from '../../components/unsaved.js';
import { countOf, formatCount } from '../../format.js';
import { EntryReports, linesOf } from './entry-reports.js';

/** Many entries at once. Those that were refused stay in the field, to be corrected. */
export function BulkForm({ list }: { list: ListInfo }) {
  const [text, setText] = useState('');
  const edit = useEdit(({ entries }) =>
    setText(
      entries
        .filter(({ result }) => result === 'invalid')
        .map((report) => report.text)
        .join('\n'),
    ),
  );
  const unsaved = useUnsaved(text.trim() !== '' && !edit.isPending);
  const rows = linesOf(text);
  const submit = (add: readonly string[], remove: readonly string[]): void =>
    edit.mutate([{ kind: 'edit-list', list: list.name, add, remove }]);
  const isEmpty = text.trim() === '';
  return (
    <div className="grid grid-cols-[minmax(0,1fr)] gap-3 p-4 text-sm">
      {unsaved.question}
      <label className="font-medium">
        Entries, one a line
        <textarea
          value={text}
          onChange={(event) => setText(event.target.value)}
          rows={5}
          placeholder={list.file ? undefined : 'except 198.18.4.66 leaves one out'}
          className={`mt-1 font-mono font-normal ${INPUT_STYLE}`}
        />
      </label>
      <label className="text-muted">
        or a file of them{' '}
        <input
          type="file"
          accept=".txt,.csv,text/plain"
          className="max-w-full"
          onChange={(event) => void event.target.files?.[0]?.text().then(setText)}
        />
      </label>
      <div className="flex flex-wrap items-center gap-2">
        <Button look="primary" disabled={isEmpty || edit.isPending} onClick={() => submit(rows, [])}>
          Add entries
        </Button>
        <Button disabled={isEmpty || edit.isPending} onClick={() => submit([], rows)}>
          Remove entries
        </Button>
        {edit.isPending && <Waiting numLines={rows.length} />}
      </div>
      {edit.error && <ErrorNotice error={edit.error} />}
      {edit.data && <EntryReports entries={edit.data.entries} />}
    </div>
  );
}

/** Many lines into a long list take a while: how long it has been. */
function Waiting({ numLines }: { numLines: number }) {
  const [seconds, setSeconds] = useState(0);
  useEffect(() => {
    const timer = setInterval(() => setSeconds((before) => before + 1), 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <span>
      <span role="status">{countOf(numLines, 'line')} on the way …</span> {seconds > 1 && `${formatCount(seconds)} s`}
    </span>
  );
}

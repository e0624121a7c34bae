import { useQuery } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import { useState } from 'react';
import { Link } from 'react-router';
import { useEdit } from '../../api/edit.js';
import { draftQuery, maskingQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Choice } from '../../components/choice.js';
import { ErrorNotice } from '../../components/loaded.js';
import { lastList } from '../../last-list.js';
import { expectationOf, filtersOf, urlOf } from './next-steps.js';
import { StopClient } from './stop-client.js';

const LINK = 'rounded-lg border border-line px-2 py-0.5 text-xs font-medium hover:bg-sunken';

/** What to do next about a decision: look at others like it, make a rule or an expectation of it, try it otherwise. */
export function DecisionActions({
  row,
  onWhere,
}: {
  row: DecisionRow;
  /** Absent where there is no filter. */
  onWhere?: (where: string) => void;
}) {
  const { client, method, path, fence, rule } = row;
  const masking = useQuery(maskingQuery).data;
  const isMasked = masking !== undefined && masking.masks.length > 0 && !masking.isUnmasked;
  const url = urlOf(row);
  const expectation = expectationOf(row);
  return (
    <section
      aria-label="Next"
      className="sticky -bottom-5 -mx-5 mt-4 grid gap-2 border-t border-line bg-surface px-5 py-3 text-sm"
    >
      {onWhere && (
        <div className="flex flex-wrap items-center gap-1.5">
          {filtersOf(row).map(({ text, where }) => (
            <Button key={text} size="small" onClick={() => onWhere(where)}>
              {text}
            </Button>
          ))}
        </div>
      )}
      {isMasked ? (
        <p className="text-muted">
          Values are masked. To add the client to a list, stop it or make a rule of the request, show true values in the{' '}
          <Link to="/settings">settings</Link>.
        </p>
      ) : (
        <>
          <div className="flex flex-wrap items-center gap-1.5">
            {client && url && (
              <Link to={`/try?${new URLSearchParams({ client, url, ...(method ? { method } : {}) })}`} className={LINK}>
                Try a variation
              </Link>
            )}
            {expectation && (
              <Link to={`/expectations?${new URLSearchParams({ text: expectation })}`} className={LINK}>
                Make an expectation
              </Link>
            )}
            {client && fence && rule && (
              <Link
                to={`/fences?${new URLSearchParams({ exception: `${fence}/${rule}`, client, ...(path ? { path } : {}) })}`}
                className={LINK}
              >
                Exception above this rule
              </Link>
            )}
          </div>
          {client && <AddToList client={client} />}
          {client && <StopClient client={client} />}
        </>
      )}
    </section>
  );
}

/** The list that got entries last is proposed. */
function AddToList({ client }: { client: string }) {
  const draft = useQuery(draftQuery).data;
  const lists = (draft?.lists ?? []).filter(({ kind }) => kind === 'addresses');
  const [chosen, setChosen] = useState<string>();
  const edit = useEdit();
  const [latest] = useState(lastList);
  const list = chosen ?? (lists.find(({ name }) => name === latest) ?? lists[0])?.name;
  if (list === undefined) return null;
  const report = edit.data?.entries[0];
  return (
    <div className="grid gap-2">
      <div className="flex flex-wrap items-center gap-2">
        <Choice
          label={`Add ${client} to`}
          value={list}
          options={lists.map(({ name, title }) => ({ value: name, text: title ? `${title} (${name})` : name }))}
          onChange={(name) => {
            setChosen(name);
            edit.reset();
          }}
        />
        <Button
          disabled={edit.isPending || edit.isSuccess}
          onClick={() => edit.mutate([{ kind: 'edit-list', list, add: [client], remove: [] }])}
        >
          Add entry
        </Button>
      </div>
      {report && (
        <p role="status">
          {report.result === 'added'
            ? `${client} is in ${list} of the draft now.`
            : (report.note ?? `It was in ${list} already.`)}
        </p>
      )}
      {edit.error && <ErrorNotice error={edit.error} />}
    </div>
  );
}

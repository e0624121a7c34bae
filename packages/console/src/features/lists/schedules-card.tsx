import { useQuery } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { useEdit } from '../../api/edit.js';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card } from '../../components/layout.js';
import { ErrorNotice } from '../../components/loaded.js';
import { TextField } from '../../components/text-field.js';
import { Week } from './week.js';

const EXAMPLE = 'schedule opening-hours { mon-fri 09:00-17:00 except 2026-12-24 }';

/** The hours that rules can name; writing one that is there replaces it. */
export function SchedulesCard() {
  const schedules = useQuery(draftQuery).data?.schedules ?? [];
  const [text, setText] = useState(EXAMPLE);
  const edit = useEdit();
  const put = (event: FormEvent): void => {
    event.preventDefault();
    edit.mutate([{ kind: 'put', text, part: 'schedule' }]);
  };
  return (
    <Card title="Schedules">
      <ul>
        {schedules.map(({ name, sentence, weekly }) => (
          <li key={name} className="border-b border-line px-4 py-3 text-sm">
            <div className="flex items-center justify-between gap-3">
              {sentence}
              <Button
                size="small"
                aria-label={`Delete schedule ${name}`}
                onClick={() => edit.mutate([{ kind: 'remove', part: 'schedule', name }])}
              >
                Delete
              </Button>
            </div>
            <Week weekly={weekly} label={sentence} />
            <p className="text-xs text-muted">
              A rule for all other hours uses <span className="font-mono">outside {name}</span>; no second schedule has
              to be kept in step.
            </p>
          </li>
        ))}
      </ul>
      <form onSubmit={put} className="grid gap-3 p-4 text-sm">
        <div className="flex flex-wrap items-end gap-2">
          <TextField
            label="Add one, or write one again"
            value={text}
            onChange={(event) => setText(event.target.value)}
            className="min-w-72 grow font-mono"
          />
          <Button type="submit" disabled={edit.isPending}>
            Save schedule
          </Button>
        </div>
        {edit.error && <ErrorNotice error={edit.error} />}
        {edit.isSuccess && <p role="status">The draft has it.</p>}
      </form>
    </Card>
  );
}

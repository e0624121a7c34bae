import { PlusIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { draftQuery, draftSourcesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { Card, EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { ScheduleForm, ZoneField } from './schedule-form.js';
import { Week } from './week.js';

/** The hours that rules can name. */
export function SchedulesPage() {
  const draft = useQuery(draftQuery);
  const parts = useQuery(draftSourcesQuery).data?.parts ?? [];
  const edit = useEdit();
  const [edited, setEdited] = useState<{ old?: { name: string; text: string } }>();
  const textOf = (kind: string, name?: string): string | undefined =>
    parts.find((part) => part.kind === kind && (name === undefined || part.name === name))?.text;
  const zone = /zone (\S+)/.exec(textOf('zone') ?? '')?.[1];
  return (
    <>
      <PageHeading
        title="Schedules"
        aside={
          <Button look="primary" onClick={() => setEdited({})}>
            <PlusIcon aria-hidden className="size-4" />
            New schedule
          </Button>
        }
      >
        Hours that a rule can be limited to. A rule for all other hours names the same schedule with “outside”.
      </PageHeading>
      {edit.error && <ErrorNotice error={edit.error} />}
      <Loaded query={draft}>
        {({ schedules }) =>
          schedules.length === 0 ? (
            <div className="mb-6">
              <EmptyState title="No schedules yet">
                Create one with the button above, then choose it in a rule.
              </EmptyState>
            </div>
          ) : (
            schedules.map(({ name, sentence, weekly }) => (
              <Card
                key={name}
                title={<span className="font-mono">{name}</span>}
                aside={
                  <span className="flex gap-2">
                    <Button
                      size="small"
                      aria-label={`Edit schedule ${name}`}
                      disabled={textOf('schedule', name) === undefined}
                      onClick={() => setEdited({ old: { name, text: textOf('schedule', name)! } })}
                    >
                      Edit
                    </Button>
                    <Button
                      size="small"
                      aria-label={`Delete schedule ${name}`}
                      onClick={() => edit.mutate([{ kind: 'remove', part: 'schedule', name }])}
                    >
                      Delete
                    </Button>
                  </span>
                }
              >
                <div className="px-4 py-2 text-sm">
                  <p>{sentence}</p>
                  <Week weekly={weekly} label={sentence} />
                </div>
              </Card>
            ))
          )
        }
      </Loaded>
      <ZoneCard key={zone} zone={zone} />
      {edited && <ScheduleForm old={edited.old} onClose={() => setEdited(undefined)} />}
    </>
  );
}

/** The zone of all hours and dates that name none. */
function ZoneCard({ zone }: { zone: string | undefined }) {
  const [text, setText] = useState(zone ?? '');
  const edit = useEdit();
  return (
    <Card title="Time zone of the rules">
      <form
        onSubmit={(event) => {
          event.preventDefault();
          edit.mutate([{ kind: 'put', text: `zone ${text.trim()}`, part: 'zone' }]);
        }}
        className="flex flex-wrap items-end gap-3 p-4 text-sm"
      >
        <ZoneField label="Zone of schedules and end dates that name none" value={text} onChange={setText} />
        <Button type="submit" disabled={text.trim() === '' || text === zone || edit.isPending}>
          Save zone
        </Button>
        {zone === undefined && <p className="text-muted">None is set, so hours are UTC.</p>}
        {edit.error && <ErrorNotice error={edit.error} />}
      </form>
    </Card>
  );
}

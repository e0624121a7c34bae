import { PlusIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { GateStatement } from '@jadefence/core/language';
import { useState } from 'react';
import { useEdit } from '../../api/edit.js';
import { draftQuery, draftSourcesQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { EmptyState, PageHeading } from '../../components/layout.js';
import { ErrorNotice, Loaded } from '../../components/loaded.js';
import { GateCard } from './gate-card.js';
import { GateForm } from './gate-form.js';
import { readGate } from '@jadefence/core/edit';

/** Where requests pass: each gate with its fences in order. */
export function GatesPage() {
  const draft = useQuery(draftQuery);
  const sources = useQuery(draftSourcesQuery).data;
  const edit = useEdit();
  const [edited, setEdited] = useState<{ readonly old?: GateStatement }>();
  const open = (name: string): void => {
    const part = sources?.parts.find((candidate) => candidate.kind === 'gate' && candidate.name === name);
    setEdited({ old: part && readGate(part.text) });
  };
  const newGate = (
    <Button look="primary" onClick={() => setEdited({})}>
      <PlusIcon aria-hidden className="size-4" />
      New gate
    </Button>
  );
  return (
    <>
      <PageHeading title="Gates" aside={newGate}>
        A gate evaluates its fences from top to bottom. A fence can be attached to any number of gates. Of gates that
        fit a request equally well, the first judges it.
      </PageHeading>
      {edit.error && <ErrorNotice error={edit.error} />}
      <Loaded query={draft}>
        {({ gates, fences }) =>
          gates.length === 0 ? (
            <EmptyState title="No gates yet">
              A gate names the hosts or clients whose requests are judged. Create one with the button above.
            </EmptyState>
          ) : (
            gates.map((gate, index) => (
              <GateCard
                key={gate.name}
                gate={gate}
                above={gates[index - 1]?.name}
                below={gates[index + 1]?.name}
                fences={fences.map(({ name }) => name)}
                onEdit={(change) => edit.mutate([change])}
                onOpen={sources && (() => open(gate.name))}
              />
            ))
          )
        }
      </Loaded>
      {edited && <GateForm old={edited.old} onClose={() => setEdited(undefined)} />}
    </>
  );
}

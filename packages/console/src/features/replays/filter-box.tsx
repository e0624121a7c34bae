import { useQuery } from '@tanstack/react-query';
import type { Draft } from '@jadefence/contract';
import { useId, useMemo, useState, type FormEvent } from 'react';
import { draftQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { TextField } from '../../components/text-field.js';
import { suggestFilters, type FilterNames } from '../evidence/filter-suggestions.js';

/** A condition of the fence language over requests and their decisions, with completion; applied on Enter. */
export function FilterBox({
  where,
  problem,
  onFilter,
}: {
  where: string;
  problem?: string;
  onFilter: (where: string) => void;
}) {
  const draft = useQuery(draftQuery).data;
  const names = useMemo(() => namesOf(draft), [draft]);
  const [text, setText] = useState(where);
  const id = useId();
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    onFilter(text.trim());
  };
  return (
    <form onSubmit={submit} className="flex items-start gap-2 border-b border-line px-4 py-3">
      <TextField
        label="Filter"
        list={id}
        value={text}
        onChange={(event) => setText(event.target.value)}
        className="grow"
        spellCheck={false}
        autoComplete="off"
        placeholder="rule = house/touts and not path under /login"
        problem={problem}
      />
      <datalist id={id}>
        {suggestFilters(text, names).map((suggestion) => (
          <option key={suggestion} value={suggestion} />
        ))}
      </datalist>
      <Button type="submit" className="mt-6">
        Apply
      </Button>
    </form>
  );
}

function namesOf(draft: Draft | undefined): FilterNames {
  return {
    lists: draft?.lists ?? [],
    rules: draft?.fences.flatMap(({ name, rules }) => rules.map((rule) => `${name}/${rule.name}`)) ?? [],
    fences: draft?.fences.map(({ name }) => name) ?? [],
    gates: draft?.gates.map(({ name }) => name) ?? [],
  };
}

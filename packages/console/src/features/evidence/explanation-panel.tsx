import { Dialog, DialogPanel, DialogTitle } from '@headlessui/react';
import { XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import { explanationQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ExplanationSteps } from '../../components/explanation-steps.js';
import { Loaded } from '../../components/loaded.js';
import { formatCount } from '../../format.js';

/** The explanation of one request, next to the table it was picked from. */
export function ExplanationPanel({
  replayId,
  row,
  onClose,
}: {
  replayId: number;
  row: Pick<DecisionRow, 'row' | 'line' | 'written' | 'record'> | undefined;
  onClose: () => void;
}) {
  const explanation = useQuery({ ...explanationQuery(replayId, row?.row ?? 0), enabled: row !== undefined });
  return (
    <Dialog open={row !== undefined} onClose={onClose} className="relative z-30">
      <div aria-hidden className="fixed inset-0 bg-black/30" />
      <div className="fixed inset-0 flex justify-end">
        <DialogPanel className="h-full w-full max-w-xl overflow-y-auto border-l border-line bg-surface p-6 shadow-xl">
          <div className="flex items-start justify-between gap-4">
            <DialogTitle className="text-lg font-semibold">Why this decision?</DialogTitle>
            <Button onClick={onClose} aria-label="Close">
              <XMarkIcon aria-hidden className="size-4" />
            </Button>
          </div>
          {row?.written !== undefined && <WrittenLine row={row} text={row.written} />}
          <Loaded query={explanation}>{(data) => <ExplanationSteps explanation={data} />}</Loaded>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** The raw line of the log. */
function WrittenLine({ row: { line, record }, text }: { row: Pick<DecisionRow, 'line' | 'record'>; text: string }) {
  const file = record['jade.file'];
  return (
    <figure className="mt-4">
      <figcaption className="text-sm text-muted">
        Line {formatCount(line)} of {typeof file === 'string' ? file : 'the log'}, as it was written
      </figcaption>
      <code className="mt-1 block rounded border border-line bg-sunken px-3 py-2 text-xs wrap-anywhere whitespace-pre-wrap">
        {text}
      </code>
    </figure>
  );
}

import { XMarkIcon } from '@heroicons/react/20/solid';
import { useQuery } from '@tanstack/react-query';
import type { DecisionRow } from '@jadefence/contract';
import { useEffect, useRef, type ReactNode } from 'react';
import { createPortal } from 'react-dom';
import { explanationQuery } from '../../api/queries.js';
import { Button } from '../../components/button.js';
import { ExplanationSteps } from '../../components/explanation-steps.js';
import { Loaded } from '../../components/loaded.js';
import { formatCount } from '../../format.js';

/** The explanation of one request, next to the table it was picked from, which stays usable. */
export function ExplanationPanel({
  replayId,
  row,
  shown,
  actions,
  onClose,
}: {
  replayId: number;
  /** Nothing is shown where it is undefined. */
  row: number | undefined;
  /** The row as the table has it, if it has it. */
  shown?: Pick<DecisionRow, 'line' | 'written' | 'record'>;
  /** What can be done next. */
  actions?: ReactNode;
  onClose: () => void;
}) {
  const explanation = useQuery({ ...explanationQuery(replayId, row ?? 0), enabled: row !== undefined });
  const panel = useRef<HTMLElement>(null);
  const isOpen = row !== undefined;
  useEffect(() => {
    if (!isOpen) return;
    // The key goes on with what was picked; closing gives it back.
    const before = document.activeElement;
    panel.current?.focus();
    return () => {
      if (before instanceof HTMLElement && before.isConnected) before.focus({ preventScroll: true });
    };
  }, [isOpen]);
  useEffect(() => {
    if (!isOpen) return;
    const close = (event: KeyboardEvent): void => {
      if (event.key === 'Escape' && !event.defaultPrevented) onClose();
    };
    window.addEventListener('keydown', close);
    return () => window.removeEventListener('keydown', close);
  }, [isOpen, onClose]);
  if (!isOpen) return null;
  return createPortal(
    <aside
      ref={panel}
      tabIndex={-1}
      aria-label="Why this decision?"
      data-panel
      className="fixed inset-y-0 right-0 z-20 w-full max-w-lg overflow-y-auto border-l border-line bg-surface p-5 shadow-xl outline-none"
    >
      <div className="flex items-start justify-between gap-4">
        <h2 className="text-lg font-semibold">Why this decision?</h2>
        <Button onClick={onClose} aria-label="Close">
          <XMarkIcon aria-hidden className="size-4" />
        </Button>
      </div>
      {shown?.written !== undefined && <WrittenLine row={shown} text={shown.written} />}
      <Loaded query={explanation}>{(data) => <ExplanationSteps explanation={data} />}</Loaded>
      {actions}
    </aside>,
    document.body,
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

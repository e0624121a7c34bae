/** Whether keys go to text that is being written, which has its own undo. */
export function isWriting(target: EventTarget | null): boolean {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || target.matches('input:not([type=checkbox]), textarea, [role=dialog] *'))
  );
}

import { Button } from './button.js';
import { ErrorNotice } from './loaded.js';

/** Why a form was not saved; where another user changed the same, the way to save it all the same. */
export function EditError({ error, keepMine }: { error: Error | null; keepMine: (() => void) | undefined }) {
  if (!error) return null;
  return (
    <div>
      <ErrorNotice error={error} />
      {keepMine && (
        <p className="mt-2 flex flex-wrap items-center gap-2 text-sm">
          Cancel to take theirs, or
          <Button size="small" onClick={keepMine}>
            Keep mine in its place
          </Button>
        </p>
      )}
    </div>
  );
}

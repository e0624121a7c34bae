import { ServiceError } from '@jadefence/contract';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';

/** Why nothing was published, each reason by itself; unmet expectations can be overruled. */
export function ProblemList({ error, onForce }: { error: Error; onForce: () => void }) {
  const problem = error instanceof ServiceError ? error.problem : undefined;
  return (
    <div className="grid gap-2">
      <ErrorNotice error={error} />
      {(problem?.code === 'expectations-not-met' || problem?.code === 'protected-stopped') && (
        <Button className="justify-self-start" onClick={onForce}>
          Publish all the same
        </Button>
      )}
    </div>
  );
}

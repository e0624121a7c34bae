import { useMutation } from '@tanstack/react-query';
import { joinParts, printFences } from '@jadefence/core/language';
import { service } from '../../api/client.js';
import { Button } from '../../components/button.js';
import { ErrorNotice } from '../../components/loaded.js';
import { saveFile } from '../../save-file.js';

/** Saves a revision as a fence file, with the files that it names. */
export function ExportButton({ number }: { number: number }) {
  const save = useMutation({
    mutationFn: async () => {
      const { parts, namedFiles } = await service.revisionSources(number);
      const fenceFile = `revision-${number}.fence`;
      saveFile(fenceFile, printFences(joinParts(parts, fenceFile)));
      // A browser keeps no folders, so a file is named without them.
      for (const { path, text } of namedFiles) saveFile(path.slice(path.lastIndexOf('/') + 1), text);
    },
  });
  return (
    <>
      <Button
        size="small"
        disabled={save.isPending}
        aria-label={`Save revision ${number} as a file`}
        onClick={() => save.mutate()}
      >
        Save as file
      </Button>
      {save.error && <ErrorNotice error={save.error} />}
    </>
  );
}

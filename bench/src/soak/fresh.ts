/** A new process with empty caches: imports, replays, compares and filters once, and sends the hashes of the results. */
import { frozenWorld } from '../replay/replay-engine.js';
import { importHere, SoakEngine, type SoakTask } from './engine.js';

process.once('message', (task: SoakTask) => {
  const work = async (): Promise<void> => {
    const engine = new SoakEngine(task, frozenWorld());
    const { digest } = engine.run(await importHere(task.logPath, task.format));
    process.send!(digest, () => process.disconnect());
  };
  void work();
});

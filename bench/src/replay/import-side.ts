/** A process that imports the pinned log on one thread; two of them at once are the upper bound of two threads. */
import { serveSide } from '../subprocess.js';
import { releaseFixtures } from './pinned-workload.js';
import { bytesOf } from './log-bytes.js';
import { formatCombined } from './requests.js';
import { importCombined } from './stored-log.js';

const log = bytesOf(Number(process.argv[2]), formatCombined);
releaseFixtures();
serveSide({
  begin: () => undefined,
  import: () => void importCombined(log),
});

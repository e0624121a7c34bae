/** `npm run build`: builds what changed. */
import { build } from './lib/build.mjs';
import { checkNode, installPackages } from './lib/install.mjs';
import { main } from './lib/run.mjs';

await main(async () => {
  checkNode();
  await installPackages();
  await build();
});

/** Building the kernel of imports: AssemblyScript to WebAssembly, kept as text in a module, so that browsers can load it. */
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { ROOT, SetupError } from './run.mjs';

const SOURCE = 'packages/core/kernel/index.ts';
const MODULE = join(ROOT, 'packages/core/src/kernel/kernel-bytes.ts');
const OPTIONS = ['--optimizeLevel', '3', '--enable', 'simd', '--noAssert', '--runtime', 'stub', '--use', 'abort='];

/** Compiles the kernel, and writes its module where it is another than before. */
export async function buildKernel() {
  const { main } = await import('assemblyscript/asc');
  let wasm;
  const { error, stderr } = await main([SOURCE, '--baseDir', ROOT, '--outFile', 'kernel.wasm', ...OPTIONS], {
    writeFile: (_name, contents) => (wasm = contents),
  });
  const output = stderr.toString();
  if (error || output) throw new SetupError(`The kernel in ${SOURCE} was not built.\n${output || error.message}`);
  const text = [
    '// Made of packages/core/kernel/ by scripts/lib/kernel.mjs.',
    `export const KERNEL_BASE64 =\n  '${Buffer.from(wasm).toString('base64')}';\n`,
  ].join('\n');
  if (!existsSync(MODULE) || readFileSync(MODULE, 'utf8') !== text) writeFileSync(MODULE, text);
}

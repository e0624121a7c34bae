#!/usr/bin/env node
import { existsSync } from 'node:fs';

const bundle = new URL('../dist/jadefence.mjs', import.meta.url);
if (!existsSync(bundle)) {
  console.error('jadefence is not built yet. Run: npm run build');
  process.exit(2);
}
await import(bundle.href);

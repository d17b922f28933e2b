// The weight of all JavaScript as it crosses the wire. Fails above the budget.
import { readdirSync, readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';

const BUDGET = 250_000;
const folder = new URL('../dist/assets/', import.meta.url);
const scripts = readdirSync(folder).filter((f) => f.endsWith('.js'));
const bytes = scripts.reduce(
  (sum, f) => sum + gzipSync(readFileSync(new URL(f, folder))).length,
  0,
);
console.log(
  `${scripts.length} scripts, ${(bytes / 1000).toFixed(1)} kB gzipped of at most ${BUDGET / 1000} kB`,
);
if (scripts.length === 0 || bytes > BUDGET) process.exit(1);

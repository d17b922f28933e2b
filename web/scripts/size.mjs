// The weight of the scripts as they cross the wire: those of the first page, and of each view that is
// read when it is first opened. Fails above a budget.
import { readFileSync } from 'node:fs';
import { gzipSync } from 'node:zlib';

const [FIRST, VIEW] = [230_000, 60_000];
const dist = new URL('../dist/', import.meta.url);
const manifest = JSON.parse(readFileSync(new URL('.vite/manifest.json', dist), 'utf8'));
/** A chunk with all that it needs at once. */
const whole = (key, found = new Set()) => {
  if (!found.has(key)) {
    found.add(key);
    for (const next of manifest[key].imports ?? []) whole(next, found);
  }
  return found;
};
const weigh = (keys) =>
  [...keys].reduce(
    (sum, key) => sum + gzipSync(readFileSync(new URL(manifest[key].file, dist))).length,
    0,
  );
const entry = Object.keys(manifest).find((key) => manifest[key].isEntry);
const shell = whole(entry);
const views = Object.keys(manifest)
  .filter((key) => manifest[key].isDynamicEntry)
  .map((key) => ({ name: manifest[key].name, keys: [...whole(key)].filter((k) => !shell.has(k)) }));
const chain = views.find((v) => v.name === 'ChainView');
const lines = [
  { name: 'first page', bytes: weigh([...shell, ...chain.keys]), budget: FIRST },
  ...views.map((v) => ({ name: v.name, bytes: weigh(v.keys), budget: VIEW })),
];
for (const l of lines)
  console.log(`${l.name}: ${(l.bytes / 1000).toFixed(1)} kB gzipped of at most ${l.budget / 1000}`);
if (lines.some((l) => l.bytes === 0 || l.bytes > l.budget)) process.exit(1);

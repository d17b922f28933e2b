import { catalogue, must, ofRun, type DrillLook } from '../../api/client';
import type { Drill } from './drill';

/** A name for a run made of words. */
export const runName = (words: string, more = '') =>
  `${words}${more}`
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-+|-+$/g, '')
    .slice(0, 36) || 'run';

/** Begins a run at a look of a drill, with what the drill holds there as its draft, and goes to it. */
export async function byHand(drill: Drill, look: DrillLook, words: string) {
  const taken = new Set(must(await catalogue.GET('/api/runs')).map((r) => r.name));
  const base = runName(words);
  let name = base;
  for (let n = 2; taken.has(name); n += 1) name = runName(base, `-${n}`);
  const stake = typeof drill.stake === 'number' ? drill.stake : 0;
  must(
    await catalogue.POST('/api/runs', {
      body: {
        name,
        at: look.at,
        money: String(Math.max(25_000, 10 * stake)),
        symbol: drill.symbol,
        rules: false,
        account: false,
        note: `goes on by hand from a look of the drill “${drill.name}”, which holds ${look.name} ${look.strikes} there`,
      },
    }),
  );
  const draft = { symbol: drill.symbol, legs: look.legs };
  const path = { params: { path: { slot: 'A' } } };
  must(await ofRun(name).PUT('/api/drafts/{slot}', { ...path, body: draft }));
  location.assign(`/runs/${name}/bench`);
}

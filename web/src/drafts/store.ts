import { create } from 'zustand';
import { api, must, type Draft } from '../api/client';

export const SLOTS = ['A', 'B', 'C', 'D'] as const;
export type Slot = (typeof SLOTS)[number];
type History = { past: Draft[]; future: Draft[] };
type Drafts = {
  loaded: boolean;
  active: Slot;
  drafts: Partial<Record<Slot, Draft>>;
  history: Partial<Record<Slot, History>>;
  /** A draft that could not be kept, in the program's words. */
  problem?: string;
  /** Why the drafts that are kept are not known yet. */
  unread?: string | undefined;
};
export const useDrafts = create<Drafts>(() => ({
  loaded: false,
  active: 'A',
  drafts: {},
  history: {},
}));

/** How long a draft rests before it is kept, in ms: the drawing of a change comes first. */
const REST = 60;
/** What waits to be kept, by slot; null throws the draft away. Only the newest of a slot waits. */
const waiting = new Map<Slot, Draft | null>();
let writing = false;
let resting: ReturnType<typeof setTimeout> | undefined;
function save(slot: Slot, draft: Draft | null) {
  waiting.set(slot, draft);
  if (writing) return;
  writing = true;
  resting = setTimeout(() => void write(), REST);
}
/** A page that is left keeps what was still resting, and what is on its way goes on. */
export function keepAtOnce() {
  if (resting === undefined) return;
  clearTimeout(resting);
  void write();
}
async function write() {
  resting = undefined;
  for (let next = waiting.entries().next().value; next; next = waiting.entries().next().value) {
    const [slot, draft] = next;
    waiting.delete(slot);
    try {
      const path = { params: { path: { slot } } };
      must(
        draft
          ? await api.PUT('/api/drafts/{slot}', { ...path, body: draft, keepalive: true })
          : await api.DELETE('/api/drafts/{slot}', { ...path, keepalive: true }),
      );
      useDrafts.setState({ problem: undefined });
    } catch (e) {
      useDrafts.setState({
        problem: `Draft ${slot} is not kept: ${e instanceof Error ? e.message : String(e)}`,
      });
    }
  }
  writing = false;
}

/** The pause before drafts that could not be read are asked for again, in ms. */
const AGAIN = 2_000;

export async function loadDrafts() {
  let kept;
  try {
    kept = must(await api.GET('/api/drafts'));
  } catch (e) {
    const why = e instanceof Error ? e.message : String(e);
    useDrafts.setState({
      loaded: true,
      unread: `The drafts cannot be read (${why}), so none can be changed; trying again.`,
    });
    setTimeout(() => void loadDrafts(), AGAIN);
    return;
  }
  const drafts: Drafts['drafts'] = {};
  for (const k of kept) if (SLOTS.includes(k.slot as Slot)) drafts[k.slot as Slot] = k.draft;
  const first = SLOTS.find((s) => drafts[s]);
  useDrafts.setState((s) => ({
    loaded: true,
    unread: undefined,
    drafts: { ...drafts, ...s.drafts },
    active: first ?? 'A',
  }));
}

/** Applies a move to the active draft. One on another underlying is left alone: a new one begins in the first empty place. */
export function change(symbol: string, move: (d: Draft) => Draft) {
  const held = useDrafts.getState();
  // What is kept must be known before anything can take its place.
  if (held.unread) return;
  const elsewhere = held.drafts[held.active];
  if (elsewhere && elsewhere.symbol !== symbol && elsewhere.legs.length > 0 && !begin()) {
    useDrafts.setState({
      problem: `All four places of the tray are taken; throw one away to begin a draft on ${symbol}.`,
    });
    return;
  }
  const s = useDrafts.getState();
  const current = s.drafts[s.active];
  const base = current?.symbol === symbol ? current : { symbol, legs: [] };
  const next = move(base);
  if (next === base) return;
  const h = s.history[s.active] ?? { past: [], future: [] };
  set(s.active, next, { past: [...h.past.slice(-49), base], future: [] });
}
function set(slot: Slot, draft: Draft, history: History) {
  useDrafts.setState((s) => ({
    drafts: { ...s.drafts, [slot]: draft },
    history: { ...s.history, [slot]: history },
  }));
  save(slot, draft);
}
export function undo() {
  const { active, drafts, history } = useDrafts.getState();
  const h = history[active];
  const before = h?.past.at(-1);
  const now = drafts[active];
  if (h && before && now)
    set(active, before, { past: h.past.slice(0, -1), future: [now, ...h.future] });
}
export function redo() {
  const { active, drafts, history } = useDrafts.getState();
  const h = history[active];
  const after = h?.future[0];
  const now = drafts[active];
  if (h && after && now) set(active, after, { past: [...h.past, now], future: h.future.slice(1) });
}
export function choose(slot: Slot) {
  useDrafts.setState({ active: slot });
}
export function discard(slot: Slot) {
  useDrafts.setState((s) => {
    const drafts = Object.fromEntries(
      Object.entries(s.drafts).filter(([k]) => k !== slot),
    ) as Drafts['drafts'];
    const history = Object.fromEntries(
      Object.entries(s.history).filter(([k]) => k !== slot),
    ) as Drafts['history'];
    return {
      drafts,
      history,
      active: s.active === slot ? (SLOTS.find((x) => drafts[x]) ?? 'A') : s.active,
    };
  });
  save(slot, null);
}
/** Puts a draft into the first empty place of the tray and shows it; undefined when all four are taken. */
export function put(draft: Draft): Slot | undefined {
  const slot = begin();
  if (slot) set(slot, draft, { past: [], future: [] });
  return slot;
}
/** Makes these legs the draft. One that was built otherwise is left alone, and a new one begins; false when all four places are taken. */
export function takeUp(
  symbol: string,
  legs: Draft['legs'],
  replaces: (now: Draft['legs']) => boolean,
) {
  const { active, drafts } = useDrafts.getState();
  const now = drafts[active];
  if (now && now.legs.length > 0 && (now.symbol !== symbol || !replaces(now.legs)))
    return put({ symbol, legs }) !== undefined;
  change(symbol, (d) => ({ ...d, legs, entry: undefined }));
  return true;
}
/** Opens the first empty place of the tray; undefined when all four are taken. */
export function begin(): Slot | undefined {
  const { drafts, unread } = useDrafts.getState();
  if (unread) return undefined;
  const free = SLOTS.find((s) => !drafts[s] || drafts[s].legs.length === 0);
  if (free) useDrafts.setState({ active: free });
  return free;
}

/** What the page of the book looks at, and through what: the choices, and the question that they come to. */
import { create } from 'zustand';
import type { BookRequest, Draft, Leg, Look, Paper, Remedy } from '../../api/client';
import { marketsQuery, queries } from '../../api/queries';
import { SLOTS, type Slot } from '../../drafts/store';
import { kept } from '../../ui/kept';

export type Apart = { symbol?: string; sector?: string; percent: number };
/** A draft of an opened paper portfolio. */
export type Extra = { key: string; name?: string; symbol: string; legs: Leg[] };
export type Chosen = {
  /** Nothing: the market's own. */
  index: string;
  /** Sessions that betas are estimated over; 0: the market's own. */
  sessions: number;
  towardOne: boolean;
  own: Record<string, number>;
  vol: 'stays' | 'answers' | 'points';
  perMove: number;
  points: number;
  apart: Apart[];
  held: boolean;
  off: string[];
  on: string[];
  extra: Extra[];
  /** The name that the extra drafts are kept under. */
  paper: string;
  steps: number[];
  days: number;
  reach: number;
  /** Days that the map goes; 0: to the last expiration, two months at most. */
  ahead: number;
  /** Days on of the lines beside today and the last end. */
  dates: number[];
  picture: 'map' | 'lines';
  section: 'moves' | 'parts' | 'mend' | 'ahead' | 'days';
};
export const STEPS = [1, 2, 3, 5, 7.5, 10, 15, 20];
export const USUAL: Chosen = {
  index: '',
  sessions: 0,
  towardOne: false,
  own: {},
  vol: 'stays',
  perMove: 2,
  points: 0,
  apart: [],
  held: true,
  off: [],
  on: [],
  extra: [],
  paper: '',
  steps: STEPS,
  days: 0,
  reach: 15,
  ahead: 0,
  dates: [7, 30],
  picture: 'map',
  section: 'moves',
};
export const useChosen = kept('balance', USUAL);
export const choose = (part: Partial<Chosen>) => {
  useChosen.setState(part);
};

/** Switches a draft in, whatever else is looked at. */
export const lookAtDraft = (slot: Slot) => {
  const { on } = useChosen.getState();
  const key = keyOfDraft(slot);
  if (!on.includes(key)) choose({ on: [...on, key] });
};
/** Leaves one campaign out of what is held. */
export const lookWithout = (campaign: number) => {
  const { off } = useChosen.getState();
  const key = `c${campaign}`;
  choose({ held: true, off: off.includes(key) ? off : [...off, key] });
};

/** What is tried beside what is chosen: not kept, and nothing of it is sent. */
export const useTrial = create<{ trial: Remedy | undefined }>(() => ({ trial: undefined }));
export const tryOut = (trial: Remedy | undefined) => {
  useTrial.setState({ trial });
};

export const keyOfDraft = (slot: Slot) => `d${slot}`;
export const keyOfShelf = (name: string) => `s:${name}`;

/** Switches one in or out: a campaign leaves what is held, all else joins it. */
export function switched(c: Chosen, key: string, campaign: boolean): Pick<Chosen, 'on' | 'off'> {
  const flip = (all: string[]) =>
    all.includes(key) ? all.filter((k) => k !== key) : [...all, key];
  return campaign ? { on: c.on, off: flip(c.off) } : { on: flip(c.on), off: c.off };
}

type Drafts = Partial<Record<Slot, Draft>>;
/** Everything that could be considered: the tray, the shelf, an opened paper portfolio. */
export function considered(c: Chosen, tray: Drafts, shelf: Record<string, Draft>): Extra[] {
  const of = (key: string, name: string, draft: Draft): Extra => ({
    key,
    name: draft.name ?? name,
    symbol: draft.symbol,
    legs: draft.legs,
  });
  const slots = SLOTS.flatMap((s) => {
    const d = tray[s];
    return d && d.legs.length > 0 ? [of(keyOfDraft(s), `draft ${s}`, d)] : [];
  });
  const set = Object.entries(shelf).flatMap(([name, d]) =>
    d.legs.length > 0 ? [of(keyOfShelf(name), name, d)] : [],
  );
  return [...slots, ...set, ...c.extra];
}

/** The index that was chosen, where this market has it; nothing: the market's own. */
const indexOf = (c: Chosen) => {
  const known = queries.getQueryData(marketsQuery.queryKey);
  return known?.some((m) => m.symbol === c.index) ? c.index : null;
};
export const TRIAL = 'trial';
/** What a change comes to: the campaign as it is left out, what takes its place tried. */
export function lookOf(c: Chosen, all: Extra[], trial?: Remedy): Look {
  const drafts = all.filter((d) => c.on.includes(d.key));
  const tried = trial && trial.legs.length > 0;
  return {
    index: indexOf(c),
    betas: {
      sessions: c.sessions === 0 ? null : c.sessions,
      towardOne: c.towardOne,
      own: c.own,
    },
    vol:
      c.vol === 'answers'
        ? { perMove: c.perMove }
        : c.vol === 'points'
          ? { points: c.points }
          : null,
    apart: c.apart,
    held: c.held,
    off: trial?.campaign == null ? c.off : [...c.off, `c${trial.campaign}`],
    on: tried ? [...c.on, TRIAL] : c.on,
    drafts: tried
      ? [...drafts, { key: TRIAL, name: trial.words, symbol: trial.symbol, legs: trial.legs }]
      : drafts,
  };
}
/** Moves both ways from the steps, ascending, with none between. */
export const movesOf = (steps: number[]) => {
  const up = [...new Set(steps)].sort((a, b) => a - b);
  return [...up.map((s) => -s).reverse(), 0, ...up];
};
/** Steps as they are written: "1, 2, 7.5"; undefined where one is none. */
export function stepsOf(text: string): number[] | undefined {
  const parts = text.split(/[,;\s]+/).filter(Boolean);
  const steps = parts.map(Number);
  const good = steps.every((s) => Number.isFinite(s) && s > 0 && s <= 99);
  return good && steps.length > 0 && steps.length <= 20 ? steps : undefined;
}
/** Days on as they are written: "7, 30"; undefined where one is none. */
export function datesOf(text: string): number[] | undefined {
  const days = text
    .split(/[,;\s]+/)
    .filter(Boolean)
    .map(Number);
  const good = days.every((d) => Number.isInteger(d) && d > 0 && d <= 1_000);
  return good && days.length <= 4 ? [...new Set(days)].sort((a, b) => a - b) : undefined;
}
export function requestOf(c: Chosen, look: Look): BookRequest {
  return {
    look,
    moves: movesOf(c.steps),
    days: c.days,
    lines: c.picture === 'lines' ? [0, ...c.dates] : [],
    map: c.picture === 'map',
    span: { reach: c.reach, days: c.ahead === 0 ? null : c.ahead },
  };
}
/** What is considered now as a paper portfolio. */
export const paperOf = (c: Chosen, all: Extra[]): Paper => ({
  held: c.held,
  drafts: all
    .filter((d) => c.on.includes(d.key) || c.extra.includes(d))
    .map((d) => ({
      draft: { symbol: d.symbol, legs: d.legs, name: d.name ?? null },
      on: c.on.includes(d.key),
    })),
});
/** Opens a paper portfolio in the place of what was considered. */
export function opened(c: Chosen, name: string, paper: Paper): Partial<Chosen> {
  const extra = paper.drafts.map((d, i): Extra => ({
    key: `x${i}`,
    name: d.draft.name ?? undefined,
    symbol: d.draft.symbol,
    legs: d.draft.legs,
  }));
  const orders = c.on.filter((k) => k.startsWith('o'));
  return {
    paper: name,
    extra,
    held: paper.held,
    on: [...orders, ...extra.filter((_, i) => paper.drafts[i]?.on === true).map((e) => e.key)],
  };
}

import { create } from 'zustand';
import { BASE } from './base';
import { linesOf, MARKED, merge } from './merge';
import { balanceQuery, bellsQuery, ordersQuery, queries } from './queries';
import type {
  Book,
  ChainHead,
  ClientMessage,
  Clock,
  Column,
  Draft,
  EvaluateRequest,
  Evaluation,
  Line,
  Masthead,
  Row,
  ServerMessage,
} from './client';

/** An answer belongs to one request of one draft; what else is shown beside it must be the same. */
export type Answer = {
  /** The draft's place in the tray. */
  of: string;
  request: EvaluateRequest;
  evaluation?: Evaluation;
  refusal?: string;
};
/** What the stream has brought. Missing is undefined, never zero. */
type Live = {
  connected: boolean;
  everConnected: boolean;
  clock?: Clock;
  masthead?: Masthead;
  head?: ChainHead;
  /** The rows of each expiration as its whole came; their prices are in `rows`, at the same places. */
  lines: Record<string, Line[]>;
  rows: Record<string, Row[]>;
  book?: Book;
  /** Lines of the ledger; undefined before the first word. */
  entries?: number;
  /** A view asks for the active draft. */
  following: boolean;
  /** The newest answer, with what it answers. */
  answer?: Answer;
  chainProblem?: string;
};
export const useLive = create<Live>(() => ({
  connected: false,
  everConnected: false,
  lines: {},
  rows: {},
  following: false,
}));

type Changed = Extract<ServerMessage, { type: 'changed' }>;
/** Brings what changed into what the views have read. */
function onChanged(m: Changed) {
  const { orders } = m;
  // An answer under way may be older than this word: what is being read is read again.
  if (orders && queries.isFetching({ queryKey: ordersQuery.queryKey }) === 0) {
    const changed = new Map(orders.map((o) => [o.id, o]));
    queries.setQueryData(ordersQuery.queryKey, (before) => {
      if (!before) return before;
      const kept = before.filter((o) => !changed.has(o.id));
      return [...kept, ...orders].sort((a, b) => a.id - b.id);
    });
  } else void queries.invalidateQueries({ queryKey: ordersQuery.queryKey });
  if (m.bells) void queries.invalidateQueries({ queryKey: bellsQuery.queryKey });
  for (const queryKey of [['rounds'], ['days'], ['rules']])
    void queries.invalidateQueries({ queryKey });
  void queries.invalidateQueries({ queryKey: balanceQuery.queryKey });
  if (m.entries !== useLive.getState().entries) {
    useLive.setState({ entries: m.entries });
    void queries.invalidateQueries({ queryKey: ['ledger'] });
  }
}

let socket: WebSocket | null = null;
let watch: ClientMessage = { type: 'watch', symbol: null, expirations: [], columns: [] };
let watchBook: ClientMessage = { type: 'watchBook', on: false };
let asked = 0;
let last: { of: string; request: EvaluateRequest } | null = null;

function send(m: ClientMessage) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(m));
}

export function watchChain(symbol: string | null, expirations: string[], columns: Column[]) {
  const before = watch;
  watch = { type: 'watch', symbol, expirations, columns };
  if (before.type === 'watch' && before.symbol !== symbol) {
    waiting.clear();
    useLive.setState({ head: undefined, lines: {}, rows: {}, chainProblem: undefined });
  }
  send(watch);
}
export function followBook(on: boolean) {
  watchBook = { type: 'watchBook', on };
  send(watchBook);
}
/** Asks for the answer to a draft of the tray; only the latest counts. */
export function evaluate(of: string, request: EvaluateRequest | null) {
  last = request && { of, request };
  asked += 1;
  if (!request) {
    useLive.setState({ following: false, answer: undefined });
    return;
  }
  if (!useLive.getState().following) useLive.setState({ following: true });
  send({ type: 'evaluate', id: asked, request });
}
/** An answer that a view has asked for by itself: all of the page shows this one. */
export function publish(answer: Answer | undefined) {
  last = null;
  asked += 1;
  useLive.setState({ following: answer !== undefined, answer });
}
/** What is known of a draft: its answer, and whether that is to the draft as it was before. */
export function answerTo(
  answer: Answer | undefined,
  of: string,
  draft: Draft | undefined,
): { evaluation?: Evaluation; refusal?: string; old: boolean } {
  if (!draft || draft.legs.length === 0) return { old: false };
  if (answer?.of !== of || answer.request.symbol !== draft.symbol) return { old: true };
  const { legs, entry } = answer.request;
  const same =
    JSON.stringify(legs) === JSON.stringify(draft.legs) &&
    JSON.stringify(entry) === JSON.stringify(draft.entry ?? 'middle');
  return { evaluation: answer.evaluation, refusal: answer.refusal, old: !same };
}

/** Changed rows that are not shown yet, by expiration and strike. */
const waiting = new Map<string, Map<string, Row>>();
let drawing = 0;
/** At most so many rows are drawn in a frame: more would make the frame late. */
const A_FRAME = 10;

/** A whole expiration is shown at once; changed rows come a frame's worth at a time, the newest of each. */
function changeRows(key: string, changed: Row[], whole: boolean) {
  if (whole) {
    waiting.delete(key);
    useLive.setState((s) => ({
      rows: { ...s.rows, [key]: changed },
      lines: { ...s.lines, [key]: linesOf(changed) },
    }));
    return;
  }
  const mine = waiting.get(key) ?? new Map<string, Row>();
  waiting.set(key, mine);
  for (const r of changed) mine.set(r.strike, r);
  if (drawing === 0) drawing = requestAnimationFrame(drawRows);
}
function drawRows() {
  drawing = 0;
  let room = A_FRAME;
  const next = { ...useLive.getState().rows };
  for (const [key, mine] of waiting) {
    const some = [...mine.values()].slice(0, room);
    room -= some.length;
    for (const r of some) mine.delete(r.strike);
    if (mine.size === 0) waiting.delete(key);
    next[key] = merge(next[key], some, performance.now());
    if (room <= 0) break;
  }
  useLive.setState({ rows: next });
  if (waiting.size > 0) drawing = requestAnimationFrame(drawRows);
  else sweepMarks();
}

/** Takes marks away that nothing newer replaced: when the market closes, for one. */
let sweeping: ReturnType<typeof setTimeout> | undefined;
function sweepMarks() {
  clearTimeout(sweeping);
  sweeping = setTimeout(() => {
    useLive.setState((s) => ({
      rows: Object.fromEntries(
        Object.entries(s.rows).map(([key, rows]) => [key, merge(rows, [], performance.now())]),
      ),
    }));
  }, MARKED + 100);
}
function receive(m: ServerMessage) {
  switch (m.type) {
    case 'alive':
      break;
    case 'clock':
      useLive.setState({ clock: m.clock });
      break;
    case 'masthead':
      useLive.setState({ masthead: m.masthead });
      break;
    case 'head':
      useLive.setState({ head: m.head, chainProblem: undefined });
      break;
    case 'rows':
      if (watch.type === 'watch' && watch.symbol === m.symbol) changeRows(m.key, m.rows, m.whole);
      break;
    case 'book':
      useLive.setState({ book: m.book });
      break;
    case 'changed':
      onChanged(m);
      break;
    case 'evaluation':
      if (m.id === asked && last)
        useLive.setState({ answer: { ...last, evaluation: m.evaluation } });
      break;
    case 'refused':
      if (m.id === asked && last)
        useLive.setState({ answer: { ...last, refusal: m.problem.message } });
      else if (m.id == null) useLive.setState({ chainProblem: m.problem.message });
      break;
    default:
      // Every word of the stream is told above: a new one does not compile until it is.
      m satisfies never;
  }
}

/** A sign of life is asked for so often, in ms; without any for `SILENT` the connection is given up. */
const ALIVE = 3_000;
const SILENT = 6_000;
/** The pause before the next try, in ms: longer each time, up to the last. */
const PAUSES = [300, 700, 1_500, 3_000, 6_000, 10_000];

/** Opens the stream and keeps it open. Returns how to stop. */
export function connect(): () => void {
  let stopped = false;
  let tries = 0;
  let again: ReturnType<typeof setTimeout> | undefined;
  let heard = performance.now();
  const open = () => {
    const ws = new WebSocket(
      `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}${BASE}/api/stream`,
    );
    socket = ws;
    heard = performance.now();
    ws.onopen = () => {
      send(watch);
      send(watchBook);
      if (last) evaluate(last.of, last.request);
    };
    ws.onmessage = (e: MessageEvent<string>) => {
      heard = performance.now();
      tries = 0;
      if (!useLive.getState().connected) useLive.setState({ connected: true, everConnected: true });
      receive(JSON.parse(e.data) as ServerMessage);
    };
    ws.onclose = () => {
      if (socket !== ws) return;
      useLive.setState({ connected: false });
      if (stopped) return;
      again = setTimeout(open, PAUSES[Math.min(tries, PAUSES.length - 1)]);
      tries += 1;
    };
  };
  // A connection can be gone without a word: nothing comes, and nothing says so.
  const watching = setInterval(() => {
    if (socket?.readyState === WebSocket.CLOSED) return;
    if (performance.now() - heard > SILENT) {
      const silent = socket;
      useLive.setState({ connected: false });
      socket = null;
      silent?.close();
      clearTimeout(again);
      again = setTimeout(open, PAUSES[Math.min(tries, PAUSES.length - 1)]);
      tries += 1;
      heard = performance.now();
    } else send({ type: 'alive' });
  }, ALIVE);
  open();
  return () => {
    stopped = true;
    clearTimeout(again);
    clearInterval(watching);
    socket?.close();
  };
}

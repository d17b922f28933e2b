import { create } from 'zustand';
import { balanceQuery, bellsQuery, ledgerQuery, ordersQuery, queries } from './queries';
import type {
  Book,
  ChainHead,
  ClientMessage,
  Clock,
  Column,
  EvaluateRequest,
  Evaluation,
  Masthead,
  Row,
  ServerMessage,
} from './client';

/** What the stream has brought. Missing is undefined, never zero. */
type Live = {
  connected: boolean;
  everConnected: boolean;
  clock?: Clock;
  masthead?: Masthead;
  head?: ChainHead;
  rows: Record<string, Row[]>;
  book?: Book;
  /** Lines of the ledger; undefined before the first word. */
  entries?: number;
  /** Answer for the active draft, while a view asks for it. */
  following: boolean;
  evaluation?: Evaluation;
  refusal?: string;
  chainProblem?: string;
};
export const useLive = create<Live>(() => ({
  connected: false,
  everConnected: false,
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
  void queries.invalidateQueries({ queryKey: balanceQuery.queryKey });
  if (m.entries !== useLive.getState().entries) {
    useLive.setState({ entries: m.entries });
    void queries.invalidateQueries({ queryKey: ledgerQuery.queryKey });
  }
}

let socket: WebSocket | null = null;
let watch: ClientMessage = { type: 'watch', symbol: null, expirations: [], columns: [] };
let watchBook: ClientMessage = { type: 'watchBook', on: false };
let asked = 0;
let lastRequest: EvaluateRequest | null = null;

function send(m: ClientMessage) {
  if (socket?.readyState === WebSocket.OPEN) socket.send(JSON.stringify(m));
}

export function watchChain(symbol: string | null, expirations: string[], columns: Column[]) {
  const before = watch;
  watch = { type: 'watch', symbol, expirations, columns };
  if (before.type === 'watch' && before.symbol !== symbol)
    useLive.setState({ head: undefined, rows: {}, chainProblem: undefined });
  send(watch);
}
export function followBook(on: boolean) {
  watchBook = { type: 'watchBook', on };
  send(watchBook);
}
/** Asks for the active draft's answer; only the latest counts. */
export function evaluate(request: EvaluateRequest | null) {
  lastRequest = request;
  asked += 1;
  if (!request) {
    useLive.setState({ following: false, evaluation: undefined, refusal: undefined });
    return;
  }
  if (!useLive.getState().following) useLive.setState({ following: true });
  send({ type: 'evaluate', id: asked, request });
}

/** A mark of movement stays at least so long. */
const MARKED = 600;
function movedCells(a: Row, b: Row): string {
  const pairs = [
    [a.call.bid, b.call.bid, 'call-bid'],
    [a.call.ask, b.call.ask, 'call-ask'],
    [a.put.bid, b.put.bid, 'put-bid'],
    [a.put.ask, b.put.ask, 'put-ask'],
  ];
  return pairs.flatMap(([x, y, name]) => (x === y ? [] : [name])).join(' ');
}
/** Takes marks away that nothing newer replaced: when the market closes, for one. */
let sweeping: ReturnType<typeof setTimeout> | undefined;
function sweepMarks() {
  clearTimeout(sweeping);
  sweeping = setTimeout(() => {
    useLive.setState((s) => ({
      rows: Object.fromEntries(Object.entries(s.rows).map(([key, rows]) => [key, merge(rows, [])])),
    }));
  }, MARKED + 100);
}
function merge(before: Row[] | undefined, changed: Row[]): Row[] {
  const by = new Map(changed.map((r) => [r.strike, r]));
  const at = performance.now();
  return (before ?? []).map((r) => {
    const next = by.get(r.strike);
    if (next) {
      const cells = movedCells(r, next);
      return cells ? { ...next, moved: { cells, at } } : { ...next, moved: r.moved };
    }
    return r.moved && at - r.moved.at > MARKED ? { ...r, moved: undefined } : r;
  });
}

function receive(m: ServerMessage) {
  switch (m.type) {
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
      if (watch.type === 'watch' && watch.symbol === m.symbol)
        useLive.setState((s) => ({
          rows: { ...s.rows, [m.key]: m.whole ? m.rows : merge(s.rows[m.key], m.rows) },
        }));
      sweepMarks();
      break;
    case 'book':
      useLive.setState({ book: m.book });
      break;
    case 'changed':
      onChanged(m);
      break;
    case 'evaluation':
      if (m.id === asked) useLive.setState({ evaluation: m.evaluation, refusal: undefined });
      break;
    case 'refused':
      if (m.id === asked) useLive.setState({ evaluation: undefined, refusal: m.problem.message });
      else if (m.id == null) useLive.setState({ chainProblem: m.problem.message });
      break;
  }
}

/** Opens the stream and keeps it open. Returns how to stop. */
export function connect(): () => void {
  let stopped = false;
  let again: ReturnType<typeof setTimeout> | undefined;
  const open = () => {
    const ws = new WebSocket(
      `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/stream`,
    );
    socket = ws;
    ws.onopen = () => {
      useLive.setState({ connected: true, everConnected: true });
      send(watch);
      send(watchBook);
      if (lastRequest) evaluate(lastRequest);
    };
    ws.onmessage = (e: MessageEvent<string>) => {
      receive(JSON.parse(e.data) as ServerMessage);
    };
    ws.onclose = () => {
      useLive.setState({ connected: false });
      if (!stopped) again = setTimeout(open, 700);
    };
  };
  open();
  return () => {
    stopped = true;
    clearTimeout(again);
    socket?.close();
  };
}

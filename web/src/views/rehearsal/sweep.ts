/** All drills that one stands for, played one after the other; it ends when it is stopped. */
import { create } from 'zustand';
import type { SweepDone, SweepLine, SweepRow } from '../../api/client';
import { listen } from '../../api/streamed';
import type { Drill } from './drill';

type Swept = {
  /** The drill as it was when it was asked. */
  of?: string;
  going: boolean;
  stopped: boolean;
  done: number;
  all: number;
  rows: SweepRow[];
  result?: SweepDone | undefined;
  problem?: string | undefined;
};
const NOTHING: Swept = { going: false, stopped: false, done: 0, all: 0, rows: [] };
export const useSweep = create<Swept>(() => NOTHING);

let running: AbortController | undefined;
export function stopSweep() {
  if (!running) return;
  running.abort();
  running = undefined;
  useSweep.setState({ going: false, stopped: true });
}
/** Plays all of them; a sweep that still runs ends. */
export async function sweep(drill: Drill) {
  running?.abort();
  const own = new AbortController();
  running = own;
  const current = () => running === own;
  useSweep.setState({
    ...NOTHING,
    of: JSON.stringify(drill),
    going: true,
    result: undefined,
    problem: undefined,
  });
  try {
    await listen('/api/drills/sweep', { drill }, own.signal, (piece) => {
      if (!current()) return;
      const line = piece as SweepLine;
      if (line.kind === 'done') useSweep.setState({ rows: line.rows, result: line });
      else
        useSweep.setState((s) => ({
          done: line.done,
          all: line.of,
          rows: [...s.rows, ...line.rows],
        }));
    });
    if (current() && !useSweep.getState().result) throw new Error('the sweep broke off');
  } catch (e) {
    if (current()) useSweep.setState({ problem: e instanceof Error ? e.message : String(e) });
  }
  if (current()) {
    running = undefined;
    useSweep.setState({ going: false });
  }
}

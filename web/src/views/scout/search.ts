/** A search that runs: what it has found so far, how far it is; it ends when it is stopped. */
import { create } from 'zustand';
import { listen } from '../../api/streamed';
import {
  type Candidate,
  type SearchDone,
  type SearchLine,
  type SearchRequest,
} from '../../api/client';

type Searched = {
  request?: SearchRequest;
  /** What was written when it was asked, so that it is known when something else is written now. */
  written?: string;
  going: boolean;
  stopped: boolean;
  /** Part of all that is done. */
  part: number;
  judged: number;
  rows: Candidate[];
  done?: SearchDone | undefined;
  problem?: string | undefined;
};
const NOTHING: Searched = { going: false, stopped: false, part: 0, judged: 0, rows: [] };
export const useSearch = create<Searched>(() => NOTHING);

const heard = (request: SearchRequest, signal: AbortSignal, tell: (line: SearchLine) => void) =>
  listen('/api/scout/search', request, signal, (line) => {
    tell(line as SearchLine);
  });
/** The rows of a search, once it has ended. */
export async function once(request: SearchRequest, signal: AbortSignal): Promise<Candidate[]> {
  let rows: Candidate[] | undefined;
  await heard(request, signal, (line) => {
    if (line.kind === 'done') rows = line.rows;
  });
  if (!rows) throw new Error('the search broke off');
  return rows;
}

let running: AbortController | undefined;
export function stop() {
  if (!running) return;
  running.abort();
  running = undefined;
  useSearch.setState({ going: false, stopped: true });
}
/** Looks; a search that still runs ends. */
export async function search(request: SearchRequest, written: string) {
  running?.abort();
  const own = new AbortController();
  running = own;
  const current = () => running === own;
  useSearch.setState({
    ...NOTHING,
    request,
    written,
    going: true,
    done: undefined,
    problem: undefined,
  });
  try {
    await heard(request, own.signal, (line) => {
      if (!current()) return;
      const { rows, judged } = line;
      useSearch.setState(
        line.kind === 'done'
          ? { rows, judged, done: line, part: 1 }
          : { rows, judged, part: line.part },
      );
    });
    if (current() && !useSearch.getState().done) throw new Error('the search broke off');
  } catch (e) {
    if (current()) useSearch.setState({ problem: e instanceof Error ? e.message : String(e) });
  }
  if (current()) {
    running = undefined;
    useSearch.setState({ going: false });
  }
}

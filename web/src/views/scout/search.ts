/** A search that runs: what it has found so far, how far it is; it ends when it is stopped. */
import { create } from 'zustand';
import {
  must,
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

/** The pieces of an event stream that are whole, and what is left of the last. */
export function pieces(text: string): [SearchLine[], string] {
  const all = text.split('\n\n');
  const rest = all.pop() ?? '';
  const lines = all.flatMap((event) => {
    const data = event
      .split('\n')
      .filter((l) => l.startsWith('data:'))
      .map((l) => l.slice(5).trimStart())
      .join('\n');
    return data === '' ? [] : [JSON.parse(data) as SearchLine];
  });
  return [lines, rest];
}

/** Runs a search to its end and tells what is heard on the way. */
async function heard(
  request: SearchRequest,
  signal: AbortSignal,
  tell: (line: SearchLine) => void,
) {
  const answer = await fetch('/api/scout/search', {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(request),
    signal,
  });
  if (!answer.ok) must({ error: await answer.json() });
  const reader = answer.body?.pipeThrough(new TextDecoderStream()).getReader();
  let text = '';
  for (let got = await reader?.read(); got && !got.done; got = await reader?.read()) {
    const [lines, rest] = pieces(text + got.value);
    text = rest;
    lines.forEach(tell);
  }
}
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

import { answerTo, useLive } from '../api/live';
import type { Draft, Evaluation } from '../api/client';
import { useDrafts } from './store';

type Held = ReturnType<typeof useDrafts.getState>;

/** The draft that is worked on, where it is one on this underlying. */
export function draftOf(s: Held, symbol: string): Draft | undefined {
  const draft = s.drafts[s.active];
  return draft?.symbol === symbol ? draft : undefined;
}

export const useDraftOf = (symbol: string) => useDrafts((s) => draftOf(s, symbol));

/** The draft on this underlying with its answer, and whether that is to the draft as it was before. What shows it
 * follows it by itself, so that a change of the draft draws nothing else. */
export function useAnswer(symbol: string): {
  draft?: Draft;
  evaluation?: Evaluation;
  refusal?: string;
  old: boolean;
} {
  const active = useDrafts((s) => s.active);
  const draft = useDraftOf(symbol);
  const answer = useLive((s) => s.answer);
  return { draft, ...answerTo(answer, active, draft) };
}

import { RUN } from '../api/base';
import { useLive } from '../api/live';
import { longWhen } from '../format';
import GoTo from './GoTo';

/** What says on every screen of a run that it is one: its name, where its clock stands, and how time moves. */
export default function RunBand() {
  const now = useLive((s) => s.clock?.now);
  return (
    <div
      role="region"
      aria-label="Rehearsal"
      className="flex shrink-0 flex-wrap items-center gap-x-4 gap-y-1 border-b-2 border-slate bg-warm px-4 py-1"
    >
      <span className="rounded bg-slate px-2 font-semibold text-ground">rehearsal</span>
      <b data-testid="run-name">{RUN}</b>
      <span className="tabular-nums">{now && longWhen(now)}</span>
      <GoTo />
      <a href="/rehearsal" className="ml-auto font-semibold underline">
        leave it: all runs
      </a>
    </div>
  );
}

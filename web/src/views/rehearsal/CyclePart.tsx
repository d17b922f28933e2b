import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import type { DrillLook } from '../../api/client';
import { longWhen } from '../../format';
import { money, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button } from '../../ui/controls';
import { useMeasured } from '../../ui/measured';
import { CyclePicture } from './CyclePicture';
import { byHand } from './byHand';
import type { Drill } from './drill';
import { cycleQuery } from './queries';

/** One look in words and figures, and the way on from it by hand. */
function LookLine({ drill, look, name }: { drill: Drill; look: DrillLook; name: string }) {
  const [problem, setProblem] = useState<string>();
  return (
    <div
      className="flex flex-wrap items-center gap-x-4 gap-y-1 border-y border-hair py-1"
      aria-live="polite"
    >
      <span className="tabular-nums">{longWhen(look.at)}</span>
      <b>{look.action}</b>
      <span>
        {look.name} {look.strikes}
      </span>
      <span className="num">at {look.underlying}</span>
      {look.prices.length > 0 && (
        <span title="of each package traded, paid above zero">
          price {look.prices.map((p) => money(p)).join(' and ')}
        </span>
      )}
      <span>
        profit <b className={tone(look.profit)}>{money(look.profit, true)}</b>
      </span>
      <Button
        className="ml-auto"
        title="begins a run at this look with what is held here as its draft: the bench and the ticket of that day"
        onClick={() => {
          byHand(drill, look, name).catch((e: unknown) => {
            setProblem(e instanceof Error ? e.message : String(e));
          });
        }}
      >
        go on from here by hand
      </Button>
      {problem !== undefined && (
        <span role="alert" className="text-loss">
          {problem}
        </span>
      )}
    </div>
  );
}

/** A cycle as it was built and lived through, look by look. */
export function CyclePart({ drill, cycle }: { drill: Drill; cycle: number }) {
  const looks = useQuery(cycleQuery(drill, cycle));
  const [measure, width] = useMeasured();
  const [chosen, setChosen] = useState(0);
  const all = looks.data ?? [];
  const at = Math.min(chosen, Math.max(0, all.length - 1));
  const look = all[at];
  if (!look)
    return (
      <div ref={measure}>
        <Asked query={looks} what="looks of the cycle">
          {() => <p className="py-6 text-ink2">No cycle was entered.</p>}
        </Asked>
      </div>
    );
  return (
    <section ref={measure} aria-label={`Cycle ${cycle}`}>
      <div className="flex flex-wrap items-center gap-2 pb-1">
        <h2 className="font-serif text-[16px]">Cycle {cycle}</h2>
        <label className="flex grow items-center gap-2 text-ink2">
          look {at + 1} of {all.length}
          <input
            type="range"
            aria-label="look"
            min={0}
            max={all.length - 1}
            value={at}
            onChange={(e) => {
              setChosen(Number(e.target.value));
            }}
            className="grow accent-brass"
          />
        </label>
      </div>
      <LookLine drill={drill} look={look} name={`${drill.name} ${cycle}`} />
      <CyclePicture looks={all} at={at} onAt={setChosen} width={Math.max(300, width)} />
    </section>
  );
}

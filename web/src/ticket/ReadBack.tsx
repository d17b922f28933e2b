import { useState } from 'react';
import type { Evaluation } from '../api/client';
import { shortWhen } from '../format';
import { money } from '../money';
import { Button, Notice } from '../ui/controls';
import { AfterPicture } from './AfterPicture';
import { Legs } from './Legs';
import { Checks, MoneyTable, warningKey } from './MoneyTable';

type Props = {
  evaluation: Evaluation;
  packages: number;
  /** The order in words. */
  words: string;
  /** "As if it traded at its limit now: ", where it only waits. */
  asIf: string;
  rolling: boolean;
  /** What the order is, exactly: a tick is for a warning about this one. */
  order: string;
  /** Why it cannot be placed now, beside what the checks say; without words, while it is worked out. */
  hindered: boolean;
  trouble?: Error | null;
  refusal?: Error | null;
  placing: boolean;
  onBack: () => void;
  onPlace: () => void;
};
/** The order read back: what it is in words and money, and each warning to be ticked. */
export function ReadBack({
  evaluation: e,
  packages,
  words,
  asIf,
  rolling,
  order,
  hindered,
  trouble,
  refusal,
  placing,
  onBack,
  onPlace,
}: Props) {
  const [ticks, setTicks] = useState<{ of: string; warnings: string[] }>({ of: '', warnings: [] });
  const ticked = ticks.of === order ? ticks.warnings : [];
  const warnings = e.checks.filter((c) => c.verdict === 'warning').map(warningKey);
  const blocked = e.checks.some((c) => c.verdict === 'blocking');
  const read = warnings.every((w) => ticked.includes(w));
  const ready = !placing && !blocked && read && !hindered;
  return (
    <div className="flex flex-col gap-3">
      <p className="font-serif text-[16px] leading-6">{words}</p>
      <Legs evaluation={e} packages={packages} />
      <p className="font-serif text-[15px] leading-6 italic">
        {asIf}
        {rolling
          ? `${e.money.cash.startsWith('-') ? 'You pay' : 'You receive'} ${money(e.money.cash.replace('-', ''))} now, before fees.`
          : e.sentences.join(' ')}
      </p>
      {e.after && <AfterPicture after={e.after} spot={e.spot} />}
      <MoneyTable evaluation={e} />
      <Checks
        evaluation={e}
        ticked={ticked}
        onTick={(key, on) => {
          setTicks({
            of: order,
            warnings: on ? [...ticked, key] : ticked.filter((x) => x !== key),
          });
        }}
      />
      {blocked ? (
        <Notice>It would be refused as it stands; go back and change it.</Notice>
      ) : (
        !read && <p className="text-ink2">Tick each warning that you have read.</p>
      )}
      {trouble && (
        <Notice>{`The market cannot be asked: ${trouble.message}. What is shown is of ${shortWhen(e.at)}.`}</Notice>
      )}
      {refusal && <Notice>{refusal.message}</Notice>}
      <div className="flex gap-2">
        <Button onClick={onBack}>Back</Button>
        <Button
          weight="strong"
          autoFocus
          data-testid="place"
          aria-disabled={!ready}
          onClick={(ev) => {
            // The second click of a double click on what stood here before is no press of this.
            if (ready && ev.detail < 2) onPlace();
          }}
        >
          {placing ? 'Placing' : 'Place order'}
        </Button>
      </div>
    </div>
  );
}

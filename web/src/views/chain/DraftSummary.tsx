import type { Draft, Evaluation } from '../../api/client';
import { fixed, money, percent } from '../../format';
import { Link } from 'react-router';
import { DraftMenu } from '../../drafts/DraftMenu';
import { change, redo, undo } from '../../drafts/store';
import { openDraft } from '../../ticket/open';
import { Button, Notice, Tip } from '../../ui/controls';

type Props = {
  draft?: Draft | undefined;
  evaluation?: Evaluation | undefined;
  refusal?: string | undefined;
  /** What is shown is of the draft as it was before. */
  old: boolean;
};

function Greek({
  name,
  value,
  decimals,
  note,
}: {
  name: string;
  value: number;
  decimals: number;
  note: string;
}) {
  return (
    <Tip text={note}>
      <button type="button" className="cursor-default">
        <span className="text-ink2">{name} </span>
        <b>{fixed(value, decimals, true)}</b>
      </button>
    </Tip>
  );
}

/** The draft in words and numbers, above the rows. */
export function DraftSummary({ draft, evaluation: e, refusal, old }: Props) {
  const about = e?.estimate ? ', about' : '';
  const empty = !draft || draft.legs.length === 0;
  return (
    <section
      aria-label="Draft"
      aria-busy={old}
      className="h-[66px] overflow-hidden border-t border-hair px-4 py-1"
    >
      <div className={old ? 'old' : ''}>
        {empty && (
          <p className="pt-2 font-serif text-[15px] text-ink2 italic">
            Click an ask to buy, a bid to sell: the structure, its outline and what it does to your
            money appear here.
          </p>
        )}
        {!empty && refusal && <Notice>{refusal}</Notice>}
        {!empty && !refusal && !e && <p className="pt-2 text-ink2">Asking for its market</p>}
        {!empty && !refusal && e && (
          <>
            <p
              data-testid="sentence"
              className="line-clamp-2 h-[38px] font-serif text-[15px] leading-[19px]"
              title={e.sentences.join(' ')}
            >
              {e.sentences.join(' ')}
            </p>
            <p className="flex gap-[clamp(8px,1.25vw,16px)] whitespace-nowrap *:not-first:shrink-0">
              <b data-testid="structure-name" className="min-w-0 truncate">
                {e.name} {e.strikes}
              </b>
              <span>
                <span className="text-ink2">
                  {e.price.value === e.middle.value ? 'middle' : 'entry'}{' '}
                </span>
                <b>
                  {e.price.amount} {e.price.side}
                </b>
              </span>
              <span>
                <span className="text-ink2">max profit{about} </span>
                <b className="text-gain">
                  {e.most.unlimited ? 'no limit' : money(e.most.profit, true)}
                </b>
              </span>
              <span>
                <span className="text-ink2">max loss{about} </span>
                <b className="text-loss">
                  {e.least.unlimited ? 'no limit' : money(e.least.profit)}
                </b>
              </span>
              <Greek
                name="Δ"
                value={e.greeks.delta}
                decimals={1}
                note="Money gained when the price rises by 1.00."
              />
              <Greek
                name="Γ"
                value={e.greeks.gamma}
                decimals={2}
                note="Change of that for each 1.00 of price."
              />
              <Greek
                name="θ"
                value={e.greeks.theta}
                decimals={2}
                note={
                  e.greeks.thetaToTheEnd
                    ? 'Money gained in a calendar day, all else unchanged; of what ends within a day, in what is left of it.'
                    : 'Money gained in a calendar day, all else unchanged.'
                }
              />
              <Greek
                name="vega"
                value={e.greeks.vega}
                decimals={1}
                note="Money gained when volatility rises by one point."
              />
              <span>
                <span className="text-ink2">
                  chance<span className="max-[1160px]:hidden"> of profit</span>{' '}
                </span>
                <b>{percent(e.chanceOfProfit, 0)} %</b>
              </span>
              <span>
                <span className="text-ink2">buying power </span>
                <b>{money(e.money.buyingPowerChange)}</b>
              </span>
            </p>
          </>
        )}
      </div>
    </section>
  );
}

/** What can be done with the draft. */
export function DraftActions({
  draft,
  evaluation: e,
  onTurn,
}: {
  draft?: Draft;
  evaluation?: Evaluation;
  onTurn: () => void;
}) {
  const empty = !draft || draft.legs.length === 0;
  return (
    <div className="ml-auto flex items-center gap-1.5">
      {!empty && (
        <Button
          weight="quiet"
          onClick={() => {
            change(draft.symbol, (d) => ({
              ...d,
              target: d.target || !e ? undefined : { price: Math.round(e.spot * 102) / 100 },
            }));
          }}
        >
          {draft.target ? 'no target' : 'target'}
        </Button>
      )}
      <DraftMenu draft={draft} />
      <Button disabled={!draft} onClick={undo} aria-keyshortcuts="z">
        undo
      </Button>
      <Button
        disabled={!draft}
        onClick={redo}
        aria-keyshortcuts="Z"
        className="max-[1240px]:hidden"
      >
        redo
      </Button>
      <Button disabled={empty} onClick={onTurn} aria-keyshortcuts="x">
        reverse
      </Button>
      <Button
        disabled={empty}
        onClick={() => {
          openDraft(draft);
        }}
        aria-keyshortcuts="t"
      >
        Ticket
      </Button>
      <Link
        to="/bench"
        aria-disabled={empty}
        className="inline-flex h-6 items-center rounded border border-brass bg-brass px-2 font-semibold text-on-brass hover:opacity-90"
      >
        Bench
      </Link>
    </div>
  );
}

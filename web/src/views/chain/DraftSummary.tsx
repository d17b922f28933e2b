import { Popover } from 'radix-ui';
import { memo } from 'react';
import type { Evaluation, Greeks } from '../../api/client';
import { fixed, percent } from '../../format';
import { money } from '../../money';
import { Link } from 'react-router';
import { useLive } from '../../api/live';
import { draftOf, useAnswer } from '../../drafts/answer';
import { DraftMenu } from '../../drafts/DraftMenu';
import { change, useDrafts } from '../../drafts/store';
import { Button, CommandButton, Notice } from '../../ui/controls';
import { Term, termOf, type TermKey } from '../../ui/terms';

/** The Greeks of the draft, on demand. */
function GreeksOf({ greeks: g }: { greeks: Greeks }) {
  const rows = [
    ['delta', fixed(g.delta, 1, true)],
    ['gamma', fixed(g.gamma, 2, true)],
    ['theta', fixed(g.theta, 2, true)],
    ['vega', fixed(g.vega, 1, true)],
  ] as const;
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button className="h-5!">Greeks ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="end"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Greeks of the draft"
          className="z-40 w-[380px] rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          <table>
            <tbody>
              {rows.map(([key, value]) => (
                <tr key={key}>
                  <th scope="row" className="pr-2 text-left align-top font-normal text-ink2">
                    {termOf(key).name}
                  </th>
                  <td className="num pr-3 align-top font-semibold">{value}</td>
                  <td>{termOf(key).text}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Break-evens, however many, in one line. */
const evensOf = (e: Evaluation) => e.evens.map((v) => money(v.from)).join(' · ') || 'none';

// What names the figures never changes, so it is never drawn again.
const named = (term: TermKey, name: React.ReactNode) => (
  <Term of={term}>
    <span className="text-ink2">{name}</span>
  </Term>
);
const MAX_PROFIT = named('maxProfit', 'max profit');
const MAX_LOSS = named('maxLoss', 'max loss');
const BREAK_EVEN = named('breakEven', 'B/E');
const CHANCE = named(
  'chanceOfProfit',
  <>
    chance<span className="max-[1160px]:hidden"> of profit</span>
  </>,
);
const CAPITAL = named('capital', 'capital');

/** The answer in words and numbers. */
const Told = memo(function Told({ evaluation: e }: { evaluation: Evaluation }) {
  const about = e.estimate ? <span className="text-ink2">, about</span> : null;
  return (
    <>
      <p
        data-testid="sentence"
        className="line-clamp-2 h-[38px] font-serif max-md:line-clamp-none max-md:h-auto text-[15px] leading-[19px]"
        title={e.sentences.join(' ')}
      >
        {e.sentences.join(' ')}
      </p>
      <p className="flex gap-x-[clamp(8px,1.25vw,16px)] whitespace-nowrap max-md:flex-wrap *:not-first:shrink-0">
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
          {MAX_PROFIT}
          {about}{' '}
          <b className="text-gain">{e.most.unlimited ? 'no limit' : money(e.most.profit, true)}</b>
        </span>
        <span>
          {MAX_LOSS}
          {about}{' '}
          <b className="text-loss">{e.least.unlimited ? 'no limit' : money(e.least.profit)}</b>
        </span>
        <span>
          {BREAK_EVEN}
          {about} <b>{evensOf(e)}</b>
        </span>
        <span>
          {CHANCE} <b>{percent(e.chanceOfProfit, 0)} %</b>
        </span>
        <span>
          {CAPITAL} <b>{money(e.money.tiedUp)}</b>
        </span>
        <GreeksOf greeks={e.greeks} />
      </p>
    </>
  );
});

/** The draft in words and numbers, above the rows. */
export function DraftSummary({ symbol }: { symbol: string }) {
  // Old: what is shown is of the draft as it was before.
  const { draft, evaluation: e, refusal, old } = useAnswer(symbol);
  const empty = !draft || draft.legs.length === 0;
  return (
    <section
      aria-label="Draft"
      data-walk="summary"
      aria-busy={old}
      className="h-[66px] shrink-0 overflow-hidden border-t border-hair px-4 py-1 max-md:h-auto max-md:px-3"
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
        {!empty && !refusal && e && <Told evaluation={e} />}
      </div>
    </section>
  );
}

/** What can be done with the draft. */
export function DraftActions({ symbol }: { symbol: string }) {
  const none = useDrafts((s) => !draftOf(s, symbol));
  const empty = useDrafts((s) => !draftOf(s, symbol)?.legs.length);
  const target = useDrafts((s) => draftOf(s, symbol)?.target !== undefined);
  return (
    <div className="ml-auto flex items-center gap-1.5 max-md:ml-0 max-md:flex-wrap">
      {!empty && (
        <Button
          weight="quiet"
          onClick={() => {
            const spot = useLive.getState().answer?.evaluation?.spot;
            change(symbol, (d) => ({
              ...d,
              target: d.target || !spot ? undefined : { price: Math.round(spot * 102) / 100 },
            }));
          }}
        >
          {target ? 'no target' : 'target'}
        </Button>
      )}
      <DraftMenu symbol={symbol} />
      <CommandButton of="undo" disabled={none} />
      <CommandButton of="redo" disabled={none} className="max-[1240px]:hidden" />
      <CommandButton of="reverse" disabled={empty} />
      <CommandButton of="ticket" disabled={empty}>
        Ticket
      </CommandButton>
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

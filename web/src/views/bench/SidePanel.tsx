import { useNavigate } from 'react-router';
import type { BenchAnswer, EvaluateRequest } from '../../api/client';
import { useDrafts } from '../../drafts/store';
import { fixed, percent } from '../../format';
import { cents, money } from '../../money';
import { MarginSheet } from '../../ticket/MarginSheet';
import { Checks } from '../../ticket/MoneyTable';
import { RiskRule } from '../../ticket/RiskRule';
import { Button } from '../../ui/controls';
import { Scroll } from '../../ui/Page';
import { lookAtDraft } from '../balance/look';

type Row = [string, string, string?];
function Rows({ title, rows, heads }: { title: string; rows: Row[]; heads?: [string, string] }) {
  return (
    <table className="w-full">
      <caption className="pb-0.5 text-left font-semibold">{title}</caption>
      {heads && (
        <thead>
          <tr className="text-[12px] text-ink2">
            <td />
            <th scope="col" className="num font-normal">
              {heads[0]}
            </th>
            <th scope="col" className="num font-normal">
              {heads[1]}
            </th>
          </tr>
        </thead>
      )}
      <tbody>
        {rows.map(([name, a, b]) => (
          <tr key={name} className="border-t border-hair">
            <th scope="row" className="py-px text-left font-normal text-ink2">
              {name}
            </th>
            <td className={`num ${b === undefined ? 'font-semibold' : ''}`}>{a}</td>
            {b !== undefined && <td className="num pl-2 font-semibold">{b}</td>}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** In plain words, money, effect on the book, checks: of the draft at the market of now. */
export function SidePanel({ bench: b, request }: { bench: BenchAnswer; request: EvaluateRequest }) {
  const navigate = useNavigate();
  const e = b.evaluation;
  const m = e.money;
  const cash = m.cash.startsWith('-') ? 'you pay' : 'you receive';
  const { before, after, atRisk } = b.effect;
  const rows: Row[] = [
    [cash, money(m.cash.replace('-', ''))],
    ['fees', money(m.fees)],
    ['margin', money(m.requirementAlone)],
    ['needed for the order', cents(m.needed)],
    ['capital tied up', cents(m.tiedUp)],
    ['margin of each leg alone', cents(m.legByLeg)],
    ['less by being together', cents(m.saved)],
    ['max profit on capital', m.part == null ? '—' : `${percent(m.part, 1)} %`],
    ['the same a year', m.partAYear == null ? '—' : `${percent(m.partAYear, 0)} %`],
  ];
  return (
    <Scroll
      label="In words and money"
      className="flex flex-col gap-2.5 border-l border-hair bg-raised px-3 py-2"
    >
      <p className="font-serif text-[15px] leading-5" data-testid="bench-words">
        {e.sentences.join(' ')}
      </p>
      <Rows title="Money" rows={rows} />
      <div className="-mt-2 flex items-start justify-between gap-2 text-[12px] text-ink2">
        <p>{m.parts.join(' · ')}</p>
        <MarginSheet request={request} name={e.name} weight="quiet" />
      </div>
      <Rows
        title="Effect on the book"
        heads={['before', 'after']}
        rows={[
          ['lean, index shares', fixed(before.lean, 1, true), fixed(after.lean, 1, true)],
          ['θ a day', fixed(before.theta, 1, true), fixed(after.theta, 1, true)],
          ['vega a point', fixed(before.vega, 1, true), fixed(after.vega, 1, true)],
          ['buying power', cents(before.buyingPower), cents(after.buyingPower)],
        ]}
      />
      <Button
        className="-mt-1 self-start"
        title="The whole book with this draft, under any move of the index"
        onClick={() => {
          lookAtDraft(useDrafts.getState().active);
          void navigate('/balance');
        }}
      >
        on the book map
      </Button>
      <p className="-mt-2 text-ink2">
        account at risk{' '}
        <b className="whitespace-nowrap text-ink">
          {atRisk == null ? 'no limit' : `${percent(atRisk, 1)} %`}
        </b>{' '}
        · chance <b className="whitespace-nowrap text-ink">{percent(e.chanceOfProfit, 0)} %</b>
      </p>
      <RiskRule />
      <Checks evaluation={e} />
    </Scroll>
  );
}

import { BASE, fileOf } from '../../api/base';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { scoutMarketQuery } from '../../api/queries';
import { shortWhen } from '../../format';
import { Asked } from '../../ui/Asked';
import { Button } from '../../ui/controls';
import { DataTable } from '../../ui/DataTable';
import { FIRST, nameOf, setsOf, symbolColumn } from './marketColumns';
import { AddRange, ColumnChooser, Named } from './Ranges';
import { fits, QUESTIONS, told, useWanted, type Question } from './wanted';
import { Why } from './Why';

const ASKS: Record<Question, string> = {
  dear: 'is it dear?',
  comes: 'what comes?',
  cost: 'what does trading it cost?',
  book: 'what does it add to my book?',
};

/** Every underlying in one row, its columns in four questions: sorted by any, filtered by ranges on any; a row opens on why. */
export function MarketPart() {
  const table = useQuery(scoutMarketQuery);
  const { questions, ranges, hidden } = useWanted();
  const [opened, open] = useState<string>();
  const sets = setsOf({ symbol: table.data?.symbolLimit, sector: table.data?.sectorLimit });
  const all = [
    ...FIRST,
    ...QUESTIONS.filter((q) => questions.includes(q)).flatMap((q) => sets[q]),
  ].map((c) => ({ ...c, name: nameOf(c) }));
  const columns = [symbolColumn(opened, open), ...all.filter((c) => !hidden.includes(c.key))];
  return (
    <>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1.5 pt-1 pb-2">
        <span role="group" aria-label="Questions" className="flex flex-wrap gap-1">
          {QUESTIONS.map((q) => (
            <Button
              key={q}
              aria-pressed={questions.includes(q)}
              className={questions.includes(q) ? '!border-brass !bg-brass-soft text-brass' : ''}
              onClick={() => {
                useWanted.setState({
                  questions: questions.includes(q)
                    ? questions.filter((x) => x !== q)
                    : [...questions, q],
                });
              }}
            >
              {ASKS[q]}
            </Button>
          ))}
        </span>
        <AddRange />
        {ranges.map((r) => (
          <Button
            key={r.figure}
            title="Without this filter"
            onClick={() => {
              useWanted.setState({ ranges: ranges.filter((x) => x !== r) });
            }}
          >
            {told(r)} ×
          </Button>
        ))}
        <span className="ml-auto flex items-center gap-2">
          <ColumnChooser columns={all} />
          <Named />
          <a
            href={`${BASE}/api/scout/market.csv`}
            download={fileOf('market.csv')}
            className="text-brass underline"
          >
            CSV
          </a>
        </span>
      </div>
      <Asked query={table} what="market">
        {(t) => {
          const rows = t.rows.filter((r) => fits(r, ranges));
          return (
            <>
              {rows.length === 0 ? (
                <p className="text-ink2">No row lies in every range. Take one of them away.</p>
              ) : (
                <DataTable
                  label="The market"
                  rows={rows}
                  columns={columns}
                  id={(r) => r.symbol}
                  usual={{ key: 'over', down: true }}
                  under={(r) => opened === r.symbol && <Why row={r} />}
                />
              )}
              <p className="pt-1.5 text-[12px] text-ink2">
                As of {shortWhen(t.at)}; {rows.length} of {t.rows.length}. Volatilities in percent a
                year, differences in points; ● is held. In and out: the market of a call vertical
                from the price to one expected move higher crossed twice, near thirty days, with
                fees.
              </p>
            </>
          );
        }}
      </Asked>
    </>
  );
}

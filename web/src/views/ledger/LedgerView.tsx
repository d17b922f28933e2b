import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Ledger, type LedgerLine } from '../../api/client';
import { ledgerQuery } from '../../api/queries';
import { longWhen, money, tone } from '../../format';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';

const th =
  'sticky top-0 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2';
const right = `${th} text-right`;
const left = `${th} text-left`;

/** Files out, and fills in: all of a file or nothing of it. */
function Files() {
  const client = useQueryClient();
  const [report, setReport] = useState<{
    name: string;
    booked: number;
    problems: { line: number; message: string }[];
  }>();
  const read = useMutation({
    mutationFn: async (file: File) => {
      const response = await fetch('/api/fills/import', {
        method: 'POST',
        headers: { 'content-type': 'text/csv' },
        body: await file.text(),
      });
      const body = (await response.json()) as {
        booked?: number;
        problems?: { line: number; message: string }[];
        message?: string;
      };
      if (body.problems === undefined)
        throw new Error(body.message ?? `the file was refused (${response.status})`);
      return { name: file.name, booked: body.booked ?? 0, problems: body.problems };
    },
    onSuccess: async (r) => {
      setReport(r);
      await client.invalidateQueries({ queryKey: ['ledger'] });
    },
    onMutate: () => {
      setReport(undefined);
    },
  });
  const link = 'text-brass underline underline-offset-2';
  return (
    <div className="pb-2">
      <p className="flex flex-wrap items-center gap-3 text-ink2">
        <span>as files:</span>
        <a className={link} href="/api/positions.csv" download>
          positions (CSV)
        </a>
        <a className={link} href="/api/fills.csv" download>
          fills (CSV)
        </a>
        <a className={link} href="/api/statement.ofx" download>
          statement (OFX)
        </a>
        <label className="ml-4 inline-flex h-6 cursor-pointer items-center rounded border border-strong bg-raised px-2 font-semibold text-ink hover:border-brass focus-within:outline-2 focus-within:outline-brass">
          book fills from a CSV file
          <input
            type="file"
            accept=".csv,text/csv"
            disabled={read.isPending}
            onChange={(e) => {
              const f = e.target.files?.[0];
              if (f) read.mutate(f);
              e.target.value = '';
            }}
            className="sr-only"
          />
        </label>
      </p>
      {read.error && <Notice>{read.error.message}</Notice>}
      {report && report.problems.length === 0 && (
        <p role="status">
          {report.booked} fills of {report.name} are booked.
        </p>
      )}
      {report && report.problems.length > 0 && (
        <div
          role="alert"
          className="mt-1 max-h-40 overflow-auto rounded border border-loss p-2 text-loss"
        >
          <b>Nothing of {report.name} is booked.</b>
          <ul>
            {report.problems.map((p, i) => (
              <li key={i}>
                line {p.line}: {p.message}
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}

export function LedgerView() {
  const ledger = useQuery(ledgerQuery);
  return (
    <div className="h-full overflow-auto px-4 pb-6" tabIndex={0}>
      <h1 className="pt-3 pb-1 font-serif text-[22px]">Ledger</h1>
      <Asked query={ledger} what="ledger">
        {(l) => <LedgerLines ledger={l} />}
      </Asked>
    </div>
  );
}

function LedgerLines({ ledger: l }: { ledger: Ledger }) {
  const [before, setBefore] = useState<LedgerLine[]>([]);
  const earlier = useMutation({
    mutationFn: async (before: number) => {
      const page = must(await api.GET('/api/ledger', { params: { query: { before } } }));
      setBefore((known) => [...page.lines, ...known]);
    },
  });
  // Lines never change: what was read once stays, and pages may overlap.
  const known = l.lines[0]?.number ?? 0;
  const lines = [...before.filter((x) => x.number < known), ...l.lines];
  const first = lines[0]?.number ?? 1;
  return (
    <>
      <p data-testid="reconciled" className="pb-2 font-serif text-[15px] italic">
        Paid in {money(l.paidIn)}, realised {money(l.realised, true)}, fees {money(l.fees)}, laid
        out for open positions {money(l.positions)}: together {money(l.sum)}, and the cash is{' '}
        {money(l.cash)}.
        {l.violations.length === 0 && l.sum === l.cash ? ' It reconciles to the cent.' : ''}
      </p>
      <Files />
      {l.violations.map((v) => (
        <Notice key={v}>{v}</Notice>
      ))}
      <table className="w-full border-collapse">
        <thead>
          <tr>
            <th className={right}>#</th>
            <th className={left}>when</th>
            <th className={left}>what</th>
            <th className={right}>amount</th>
            <th className={right}>fees</th>
            <th className={right}>realised</th>
            <th className={right}>cash after</th>
          </tr>
        </thead>
        <tbody>
          {[...lines].reverse().map((x) => (
            <tr key={x.number} className="border-b border-hair">
              <td className="num px-2 text-ink2">{x.number}</td>
              <td className="px-2 py-1 whitespace-nowrap tabular-nums">{longWhen(x.at)}</td>
              <td className="px-2">
                {x.memo}
                {x.order != null && <span className="text-ink2"> · order {x.order}</span>}
              </td>
              <td className={`num px-2 ${tone(x.amount)}`}>{money(x.amount, true)}</td>
              <td className="num px-2">{money(x.fees)}</td>
              <td className={`num px-2 ${tone(x.realised)}`}>{money(x.realised, true)}</td>
              <td className="num px-2 font-semibold">{money(x.cash)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {first > 1 && (
        <p className="flex items-center gap-3 pt-2">
          <Button
            disabled={earlier.isPending}
            onClick={() => {
              earlier.mutate(first);
            }}
          >
            Earlier lines
          </Button>
          <span className="text-ink2">
            {lines.length} of {l.count} lines are shown
          </span>
          {earlier.error && <Notice>{earlier.error.message}</Notice>}
        </p>
      )}
    </>
  );
}

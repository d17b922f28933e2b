import { BASE, fileOf } from '../../api/base';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { api, must, type Ledger, type LedgerLine, type LedgerWanted } from '../../api/client';
import { ledgerQuery } from '../../api/queries';
import { longWhen } from '../../format';
import { money, negated, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button, Figure, Notice } from '../../ui/controls';
import { DateField } from '../../ui/DateField';
import { Page } from '../../ui/Page';

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
      const response = await fetch(`${BASE}/api/fills/import`, {
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
        <a className={link} href={`${BASE}/api/positions.csv`} download={fileOf('positions.csv')}>
          positions (CSV)
        </a>
        <a className={link} href={`${BASE}/api/fills.csv`} download={fileOf('fills.csv')}>
          fills (CSV)
        </a>
        <a className={link} href={`${BASE}/api/statement.ofx`} download={fileOf('statement.ofx')}>
          statement (OFX)
        </a>
        <a className={link} href={`${BASE}/api/calendar.ics`} download={fileOf('pikebell.ics')}>
          dates of open campaigns (iCalendar)
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

const KINDS: NonNullable<LedgerWanted['kind']>[] = [
  'deposit',
  'trade',
  'settlement',
  'exercise',
  'assignment',
  'dividend',
  'daily settlement',
  'settled between campaigns',
  'moved between campaigns',
  'campaigns merged',
  'correction',
];
const field = 'h-6 rounded border border-strong bg-raised px-2 placeholder:text-ink2';
type Written = { symbol: string; kind: string; campaign: string; from: string; to: string };
const NOTHING: Written = { symbol: '', kind: '', campaign: '', from: '', to: '' };

/** What is asked for, of what is written; a field that is not whole yet asks for nothing. */
function wantedOf(w: Written): LedgerWanted {
  return {
    symbol: w.symbol.trim() === '' ? null : w.symbol.trim().toUpperCase(),
    kind: KINDS.find((k) => k === w.kind) ?? null,
    campaign: /^\d{1,9}$/.test(w.campaign) ? Number(w.campaign) : null,
    from: w.from || null,
    to: w.to || null,
  };
}

/** Which lines are wanted. */
function Filter({ written: w, onChange }: { written: Written; onChange: (w: Written) => void }) {
  const set = (change: Partial<Written>) => {
    onChange({ ...w, ...change });
  };
  const text = (key: keyof Written, name: string, hint: string, width: string) => (
    <input
      aria-label={name}
      placeholder={hint}
      value={w[key]}
      onChange={(e) => {
        set({ [key]: e.target.value.trim() });
      }}
      className={`${field} ${width}`}
    />
  );
  const date = (key: 'from' | 'to', name: string) => (
    <DateField
      label={name}
      value={w[key]}
      onChange={(value) => {
        set({ [key]: value });
      }}
    />
  );
  return (
    <div
      role="group"
      aria-label="Lines wanted"
      className="flex flex-wrap items-center gap-2 pb-2 text-ink2"
    >
      lines of {text('symbol', 'Symbol', 'any symbol', 'w-24')}
      <select
        aria-label="Kind"
        value={w.kind}
        onChange={(e) => {
          set({ kind: e.target.value });
        }}
        className={`${field} text-ink`}
      >
        <option value="">of any kind</option>
        {KINDS.map((k) => (
          <option key={k} value={k}>
            {k}
          </option>
        ))}
      </select>
      campaign {text('campaign', 'Campaign', 'any', 'w-16')}
      from {date('from', 'From')}
      to {date('to', 'To')}
      <Button
        disabled={w === NOTHING}
        onClick={() => {
          onChange(NOTHING);
        }}
      >
        all lines
      </Button>
    </div>
  );
}

export function LedgerView() {
  const [written, setWritten] = useState(NOTHING);
  const wanted = wantedOf(written);
  const ledger = useQuery(ledgerQuery(wanted));
  return (
    <Page title="Ledger">
      <Asked query={ledger} what="ledger">
        {(l) => (
          <>
            <Proof ledger={l} />
            <Files />
            {l.violations.map((v) => (
              <Notice key={v}>{v}</Notice>
            ))}
            <Filter written={written} onChange={setWritten} />
            <LedgerLines key={JSON.stringify(wanted)} ledger={l} wanted={wanted} />
          </>
        )}
      </Asked>
    </Page>
  );
}

/** What the books come to, with every sign, so that it can be added up. */
function Proof({ ledger: l }: { ledger: Ledger }) {
  const rows: [string, string][] = [
    ['paid in', l.paidIn],
    ['realised, before fees', l.realised],
    ['fees', negated(l.fees)],
    ['laid out for open positions', negated(l.positions)],
  ];
  const sound = l.violations.length === 0 && l.sum === l.cash;
  return (
    <div data-testid="reconciled" className="flex flex-wrap items-end gap-x-6 gap-y-1 pb-3">
      {rows.map(([name, amount]) => (
        <Figure key={name} name={name} value={money(amount, true)} tone="tabular-nums" />
      ))}
      <Figure name="together" value={`= ${money(l.sum)}`} tone="tabular-nums" />
      <Figure name="cash" value={money(l.cash)} tone="tabular-nums" />
      {sound && <span className="font-serif text-[15px] italic">It reconciles to the cent.</span>}
    </div>
  );
}

function LedgerLines({ ledger: l, wanted }: { ledger: Ledger; wanted: LedgerWanted }) {
  const [before, setBefore] = useState<LedgerLine[]>([]);
  const earlier = useMutation({
    mutationFn: async (before: number) => {
      const query = { ...wanted, before };
      const page = must(await api.GET('/api/ledger', { params: { query } }));
      setBefore((known) => [...page.lines, ...known]);
    },
  });
  // Lines never change: what was read once stays, and pages may overlap.
  const known = l.lines[0]?.number ?? 0;
  const lines = [...before.filter((x) => x.number < known), ...l.lines];
  const first = lines[0]?.number ?? 1;
  const some = Object.values(wanted).some((v) => v != null);
  return (
    <>
      <table className="cards w-full border-collapse">
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
              <td data-whole className="px-2">
                {x.memo}
                {x.order != null && <span className="text-ink2"> · order {x.order}</span>}
                {x.campaigns.map((c) => (
                  <span key={c} className="text-ink2">
                    {' · '}
                    <Link to={`/campaign/${c}`} className="underline underline-offset-2">
                      campaign {c}
                    </Link>
                  </span>
                ))}
              </td>
              <td data-head="amount" className={`num px-2 ${tone(x.amount)}`}>
                {money(x.amount, true)}
              </td>
              <td data-head="fees" className="num px-2">
                {money(x.fees)}
              </td>
              <td data-head="realised" className={`num px-2 ${tone(x.realised)}`}>
                {money(x.realised, true)}
              </td>
              <td data-head="cash after" className="num px-2 font-semibold">
                {money(x.cash)}
              </td>
            </tr>
          ))}
        </tbody>
        {some && (
          <tfoot>
            <tr className="border-t border-strong font-semibold">
              <td colSpan={3} className="px-2 py-1">
                {l.found === 0 ? 'no line is what is wanted' : `${l.found} lines together`}
              </td>
              <td className={`num px-2 ${tone(l.totals.amount)}`}>
                {money(l.totals.amount, true)}
              </td>
              <td className="num px-2">{money(l.totals.fees)}</td>
              <td className={`num px-2 ${tone(l.totals.realised)}`}>
                {money(l.totals.realised, true)}
              </td>
              <td />
            </tr>
          </tfoot>
        )}
      </table>
      {lines.length < l.found && (
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
            {lines.length} of {l.found} lines are shown
          </span>
          {earlier.error && <Notice>{earlier.error.message}</Notice>}
        </p>
      )}
    </>
  );
}

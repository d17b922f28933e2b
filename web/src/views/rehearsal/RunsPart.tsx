import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { RUN } from '../../api/base';
import { catalogue, must, type Run } from '../../api/client';
import { useLive } from '../../api/live';
import { longDate, longWhen } from '../../format';
import { money } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { DateField } from '../../ui/DateField';
import { NumberField, readNumber, SelectField, Tick } from '../../ui/fields';
import { useMeasured } from '../../ui/measured';
import { scoutMarketQuery } from '../../api/queries';
import { Curves } from './Curves';
import { runName } from './byHand';
import { comparedQuery, looksQuery, runsQuery } from './queries';

/** A new run: when it begins, with what. */
function RunForm() {
  const market = useQuery(scoutMarketQuery);
  const now = useLive((s) => s.clock?.now);
  const queries = useQueryClient();
  const [name, setName] = useState('');
  const [at, setAt] = useState('');
  const [amount, setAmount] = useState('60000');
  const [symbol, setSymbol] = useState('');
  const [rules, setRules] = useState(true);
  const [account, setAccount] = useState(true);
  const begin = useMutation({
    mutationFn: async () =>
      must(
        await catalogue.POST('/api/runs', {
          body: {
            name: runName(name),
            at,
            money: String(readNumber(amount) ?? ''),
            symbol: symbol || null,
            rules,
            account,
            note: name,
          },
        }),
      ),
    onSuccess: (run) => {
      void queries.invalidateQueries({ queryKey: ['runs'] });
      location.assign(`/runs/${run.name}/${run.symbol ? `chain/${run.symbol}` : 'rounds'}`);
    },
  });
  const symbols = (market.data?.rows ?? []).map((r) => r.symbol);
  return (
    <form
      aria-label="Begin a rehearsal"
      className="flex flex-wrap items-center gap-x-4 gap-y-2 border-y border-hair py-2"
      onSubmit={(e) => {
        e.preventDefault();
        begin.mutate();
      }}
    >
      <h2 className="font-serif text-[16px]">Rehearse</h2>
      <label className="flex items-center gap-1">
        called
        <input
          aria-label="name of the run"
          value={name}
          maxLength={36}
          onChange={(e) => {
            setName(e.target.value);
          }}
          placeholder="a name"
          className="h-6 w-40 rounded border border-strong bg-raised px-2 font-semibold placeholder:font-normal placeholder:text-ink2"
        />
      </label>
      <span className="flex items-center gap-1">
        from the opening of
        <DateField label="first session" value={at} onChange={setAt} />
      </span>
      <NumberField
        label="money paid in"
        name="with"
        value={amount}
        onChange={setAmount}
        wide="w-20"
      />
      <span className="flex items-center gap-1">
        on
        <SelectField
          label="symbol"
          value={symbol}
          choices={[
            { value: '', name: 'the whole market' },
            ...symbols.map((s) => ({ value: s, name: s })),
          ]}
          onChange={setSymbol}
        />
      </span>
      <Tick name="my rules" on={rules} onChange={setRules} />
      <Tick name="kind of my account" on={account} onChange={setAccount} />
      <Button
        type="submit"
        weight="strong"
        disabled={begin.isPending || name.trim() === '' || at === '' || !readNumber(amount)}
      >
        {begin.isPending ? 'beginning' : 'begin'}
      </Button>
      <span className="text-ink2">up to {now && longDate(now.slice(0, 10))}</span>
      {begin.error && <Notice>{begin.error.message}</Notice>}
    </form>
  );
}

/** The looks of a run, each the beginning of a branch. */
function Looks({ run }: { run: Run }) {
  const looks = useQuery(looksQuery(run.name));
  const queries = useQueryClient();
  const branch = useMutation({
    mutationFn: async (at: string) => {
      const taken = new Set(must(await catalogue.GET('/api/runs')).map((r) => r.name));
      let name = '';
      for (let n = 2; name === '' || taken.has(name); n += 1)
        name = runName(run.name.slice(0, 32), `-${n}`);
      return must(
        await catalogue.POST('/api/runs/{name}/branch', {
          params: { path: { name: run.name } },
          body: { at, name },
        }),
      );
    },
    onSuccess: (made) => {
      void queries.invalidateQueries({ queryKey: ['runs'] });
      location.assign(`/runs/${made.name}/rounds`);
    },
  });
  return (
    <Asked query={looks} what="looks">
      {(all) => (
        <div className="flex flex-col gap-1">
          <p className="text-ink2">
            Each time the clock was taken ahead the run was kept as it stood. A branch begins there;{' '}
            {run.name} stays as it is.
          </p>
          <div className="flex flex-wrap gap-1">
            {[...all].reverse().map((at) => (
              <Button
                key={at}
                disabled={branch.isPending}
                aria-label={`branch ${run.name} from ${longWhen(at)}`}
                onClick={() => {
                  branch.mutate(at);
                }}
              >
                {longWhen(at)}
              </Button>
            ))}
          </div>
          {branch.error && <Notice>{branch.error.message}</Notice>}
        </div>
      )}
    </Asked>
  );
}

function Note({ run, onNote }: { run: Run; onNote: (note: string) => void }) {
  const [text, setText] = useState(run.note);
  return (
    <input
      aria-label={`note on ${run.name}`}
      value={text}
      maxLength={2_000}
      onChange={(e) => {
        setText(e.target.value);
      }}
      onBlur={() => {
        if (text !== run.note) onNote(text);
      }}
      className="h-6 w-full min-w-32 rounded border border-hair bg-ground px-1 hover:border-strong"
    />
  );
}

/** Runs beside each other: value, drawdown and decisions on one axis of time. */
function Compared({ names }: { names: string[] }) {
  const compared = useQuery(comparedQuery(names));
  const [measure, width] = useMeasured();
  const all = compared.data ?? [];
  const wide = Math.max(320, width);
  return (
    <section ref={measure} aria-label="Runs beside each other" className="pt-3">
      <h2 className="font-serif text-[16px]">Beside each other</h2>
      <p className="text-ink2">Value at each close; a circle is a decision.</p>
      <Curves
        label="Value of the runs over time"
        width={wide}
        curves={all.map((r) => ({
          name: r.name,
          points: r.days.map((d) => ({ at: d.date, value: Number(d.value) })),
          marks: r.decisions.map((d) => ({ at: d.at, what: `${d.symbol} ${d.what}` })),
        }))}
      />
      <p className="text-ink2">Drawdown.</p>
      <Curves
        label="Drawdown of the runs over time"
        width={wide}
        curves={all.map((r) => ({
          name: r.name,
          points: r.days.flatMap((d) =>
            d.drawdown == null ? [] : [{ at: d.date, value: -Number(d.drawdown) }],
          ),
        }))}
      />
    </section>
  );
}

/** Rehearsals by hand: begun, listed, gone back to, compared. */
export function RunsPart() {
  const runs = useQuery(runsQuery);
  const queries = useQueryClient();
  const [open, setOpen] = useState<string>();
  const [beside, setBeside] = useState<string[]>([]);
  const again = async () => {
    await queries.invalidateQueries({ queryKey: ['runs'] });
  };
  const change = useMutation({
    mutationFn: async ({ name, ...body }: { name: string; note?: string; finished?: boolean }) =>
      must(await catalogue.PUT('/api/runs/{name}', { params: { path: { name } }, body })),
    onSuccess: again,
  });
  const remove = useMutation({
    mutationFn: async (name: string) => {
      must(await catalogue.DELETE('/api/runs/{name}', { params: { path: { name } } }));
    },
    onSuccess: again,
  });
  const [sure, setSure] = useState<string>();
  const columns: Column<Run>[] = [
    {
      key: 'beside',
      head: 'beside',
      left: true,
      cell: (r) => (
        <input
          type="checkbox"
          aria-label={`compare ${r.name}`}
          checked={beside.includes(r.name)}
          onChange={(e) => {
            setBeside(
              e.target.checked ? [...beside, r.name].slice(-6) : beside.filter((n) => n !== r.name),
            );
          }}
          className="accent-brass"
        />
      ),
    },
    {
      key: 'name',
      head: 'run',
      left: true,
      by: (r) => r.name,
      cell: (r) =>
        r.name === RUN ? (
          <b>{r.name}, this one</b>
        ) : (
          <a className="font-semibold text-brass underline" href={`/runs/${r.name}/rounds`}>
            {r.name}
          </a>
        ),
    },
    {
      key: 'symbol',
      head: 'on',
      left: true,
      by: (r) => r.symbol,
      cell: (r) => r.symbol ?? 'the market',
    },
    {
      key: 'began',
      head: 'began',
      by: (r) => r.began,
      cell: (r) => r.began && longDate(r.began.slice(0, 10)),
    },
    { key: 'now', head: 'stands at', by: (r) => r.now, cell: (r) => r.now && longWhen(r.now) },
    {
      key: 'value',
      head: 'value at its last close',
      by: (r) => (r.value == null ? null : Number(r.value)),
      cell: (r) => money(r.value),
    },
    { key: 'from', head: 'branch of', left: true, by: (r) => r.from, cell: (r) => r.from ?? '' },
    {
      key: 'note',
      head: 'note',
      left: true,
      cell: (r) => (
        <Note
          key={r.note}
          run={r}
          onNote={(note) => {
            change.mutate({ name: r.name, note });
          }}
        />
      ),
    },
    {
      key: 'does',
      head: 'do',
      left: true,
      cell: (r) => (
        <span className="flex flex-wrap gap-1">
          <Button
            weight="quiet"
            aria-expanded={open === r.name}
            disabled={r.looks === 0}
            onClick={() => {
              setOpen(open === r.name ? undefined : r.name);
            }}
          >
            looks ({r.looks})
          </Button>
          <Button
            weight="quiet"
            onClick={() => {
              change.mutate({ name: r.name, finished: !r.finished });
            }}
          >
            {r.finished ? 'go on' : 'close'}
          </Button>
          <Button
            weight="quiet"
            onClick={() => {
              if (sure === r.name) remove.mutate(r.name);
              setSure(sure === r.name ? undefined : r.name);
            }}
          >
            {sure === r.name ? 'yes, delete it' : 'delete'}
          </Button>
        </span>
      ),
    },
  ];
  return (
    <>
      <RunForm />
      {(change.error ?? remove.error) && <Notice>{(change.error ?? remove.error)?.message}</Notice>}
      <Asked query={runs} what="runs">
        {(all) => {
          const others = all.filter((r) => r.name !== 'account');
          const open_ = others.filter((r) => !r.finished);
          const over = others.filter((r) => r.finished);
          return others.length === 0 ? (
            <p className="max-w-[60ch] py-4 text-ink2">
              Your rehearsals will be listed here. Each is an account of its own with paper money,
              begun at a session of the past, and lived through with the market as it was: nothing
              of it touches your account.
            </p>
          ) : (
            <>
              {[
                { label: 'Runs', rows: open_ },
                { label: 'Closed runs', rows: over },
              ].map(
                (part) =>
                  part.rows.length > 0 && (
                    <section key={part.label} className="pt-2">
                      <h2 className="font-serif text-[16px]">{part.label}</h2>
                      <DataTable
                        label={part.label}
                        rows={part.rows}
                        columns={columns}
                        id={(r) => r.name}
                        under={(r) => (open === r.name ? <Looks run={r} /> : undefined)}
                      />
                    </section>
                  ),
              )}
            </>
          );
        }}
      </Asked>
      {beside.length > 0 && <Compared names={beside} />}
    </>
  );
}

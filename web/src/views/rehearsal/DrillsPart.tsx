import { useQueries, useQuery, useQueryClient } from '@tanstack/react-query';
import { useDeferredValue, useState } from 'react';
import { api, must, type DrillRead } from '../../api/client';
import { useLive } from '../../api/live';
import { count, fixed, percent } from '../../format';
import { money, tone } from '../../money';
import { Asked } from '../../ui/Asked';
import { Button, Choices, Notice } from '../../ui/controls';
import { DataTable, type Column } from '../../ui/DataTable';
import { kept } from '../../ui/kept';
import { KeptNames } from '../../ui/KeptNames';
import { useMeasured } from '../../ui/measured';
import { scoutMarketQuery } from '../../api/queries';
import { Curves } from './Curves';
import { CyclePart } from './CyclePart';
import { DrillForm } from './DrillForm';
import { DrillResults } from './DrillResults';
import { SweepPart } from './SweepPart';
import { blank, varies, type Drill } from './drill';
import { drillsQuery, playedQuery, readQuery } from './queries';

/** The drill that is being written stays on this machine until another is opened. */
const useWritten = kept<{ drill?: Drill }>('drill', {});

/** The drill as text; what is written is taken over when it can be read. */
function TextPart({ read, onDrill }: { read: DrillRead | undefined; onDrill: (d: Drill) => void }) {
  const [text, setText] = useState<string>();
  const [problem, setProblem] = useState<string>();
  const take = async () => {
    try {
      const answer = must(await api.POST('/api/drills/text', { body: { toml: text ?? '' } }));
      onDrill(answer.drill as Drill);
      setText(undefined);
      setProblem(undefined);
    } catch (e) {
      setProblem(e instanceof Error ? e.message : String(e));
    }
  };
  return (
    <div className="flex flex-col gap-2">
      <textarea
        aria-label="the drill as text (TOML)"
        spellCheck={false}
        value={text ?? read?.toml ?? ''}
        onChange={(e) => {
          setText(e.target.value);
        }}
        className="h-[480px] w-full rounded border border-strong bg-raised p-2 font-mono text-[12px]"
      />
      {problem !== undefined && (
        <Notice>
          <span className="whitespace-pre-wrap">{problem}</span>
        </Notice>
      )}
      <div className="flex gap-2">
        <Button disabled={text === undefined} weight="strong" onClick={() => void take()}>
          take it over
        </Button>
        <Button
          disabled={text === undefined}
          onClick={() => {
            setText(undefined);
            setProblem(undefined);
          }}
        >
          as it was
        </Button>
        <a
          className="ml-auto text-brass underline"
          download={`${(read?.drill as Drill | undefined)?.name ?? 'drill'}.toml`}
          href={`data:text/plain;charset=utf-8,${encodeURIComponent(read?.toml ?? '')}`}
        >
          save it
        </a>
      </div>
    </div>
  );
}

/** Several drills side by side: what each came to, and their curves on one axis. */
function Beside({ drills }: { drills: Drill[] }) {
  const played = useQueries({ queries: drills.map((d) => playedQuery(d)) });
  const [measure, width] = useMeasured();
  const rows = drills.flatMap((drill, i) => {
    const data = played[i]?.data;
    return data ? [{ drill, data }] : [];
  });
  type Row = (typeof rows)[number];
  const columns: Column<Row>[] = [
    { key: 'name', head: 'drill', left: true, by: (r) => r.drill.name, cell: (r) => r.drill.name },
    { key: 'symbol', head: 'symbol', left: true, cell: (r) => r.drill.symbol },
    {
      key: 'count',
      head: 'cycles',
      by: (r) => r.data.all.count,
      cell: (r) => count(r.data.all.count),
    },
    {
      key: 'sum',
      head: 'sum',
      by: (r) => Number(r.data.all.sum),
      cell: (r) => <span className={tone(r.data.all.sum)}>{money(r.data.all.sum, true)}</span>,
    },
    {
      key: 'mean',
      head: 'mean',
      by: (r) => r.data.all.mean,
      cell: (r) => fixed(r.data.all.mean, 2, true),
    },
    {
      key: 'interval',
      head: '95 % of the mean',
      cell: (r) =>
        r.data.all.meanLow == null
          ? ''
          : `${fixed(r.data.all.meanLow, 0, true)} to ${fixed(r.data.all.meanHigh, 0, true)}`,
    },
    {
      key: 'won',
      head: 'winners %',
      by: (r) => r.data.all.share,
      cell: (r) => percent(r.data.all.share, 0),
    },
    { key: 'worst', head: 'worst', cell: (r) => money(r.data.all.worst, true) },
    {
      key: 'day',
      head: 'a day',
      by: (r) => r.data.all.aDay,
      cell: (r) => fixed(r.data.all.aDay, 2, true),
    },
    {
      key: 'drawdown',
      head: 'drawdown',
      by: (r) => Number(r.data.drawdown),
      cell: (r) => money(r.data.drawdown),
    },
    { key: 'held', head: 'underlying held', cell: (r) => money(r.data.held, true) },
  ];
  return (
    <section ref={measure} aria-label="Drills side by side" className="pt-2">
      <h2 className="font-serif text-[16px]">Side by side</h2>
      <Curves
        label="Profit of each drill over time"
        width={Math.max(320, width)}
        curves={rows.map((r) => ({
          name: r.drill.name,
          points: r.data.curve.map((p) => ({ at: p.at, value: p.profit })),
        }))}
      />
      <DataTable
        label="Drills side by side"
        rows={rows}
        columns={columns}
        id={(r) => r.drill.name}
      />
    </section>
  );
}

/** Drills: written in fields or as text, read back, played, compared. */
export function DrillsPart() {
  const now = useLive((s) => s.clock?.now);
  const written = useWritten((s) => s.drill);
  const market = useQuery(scoutMarketQuery);
  const drills = useQuery(drillsQuery);
  const queries = useQueryClient();
  const [as, setAs] = useState<'fields' | 'text'>('fields');
  const [cycle, setCycle] = useState(1);
  const [beside, setBeside] = useState<string[]>([]);
  const [measure, width] = useMeasured();
  const all = Object.entries(drills.data ?? {});
  const today = now?.slice(0, 10) ?? '2031-03-11';
  const own = useLive((s) => s.clock?.own) ?? false;
  const first = useLive((s) => s.clock?.first) ?? today;
  const usual = useLive((s) => s.clock?.index) ?? 'WXMR';
  const drill = written ?? all[0]?.[1] ?? blank(usual, own ? first : '2029-01-02', today);
  const settled = useDeferredValue(drill);
  const read = useQuery(readQuery(settled));
  const many = varies(settled);
  const played = useQuery({
    ...playedQuery(settled),
    enabled: !many && read.data?.problem == null,
  });
  const set = (next: Drill) => {
    useWritten.setState({ drill: next });
  };
  const names = beside.filter((n) => drills.data?.[n]);
  return (
    <div className="grid grid-cols-[500px_minmax(0,1fr)] gap-4 pt-2 max-lg:grid-cols-[minmax(0,1fr)]">
      <section aria-label="The drill" className="flex flex-col gap-2">
        <div className="flex flex-wrap items-center gap-2">
          <input
            aria-label="name of the drill"
            value={drill.name}
            maxLength={60}
            onChange={(e) => {
              set({ ...drill, name: e.target.value });
            }}
            className="h-6 min-w-44 flex-1 rounded border border-strong bg-raised px-2 font-semibold"
          />
          <Choices
            label="written as"
            value={as}
            onChange={setAs}
            choices={[
              { value: 'fields', label: 'fields' },
              { value: 'text', label: 'text' },
            ]}
          />
          <KeptNames
            trigger={`kept (${all.length})`}
            label="Kept drills"
            kept={all.map(([name, d]) => ({
              name,
              words: `${name} · ${d.symbol}`,
              beside: (
                <label className="flex items-center gap-1 text-ink2">
                  <input
                    type="checkbox"
                    aria-label={`compare ${name}`}
                    checked={beside.includes(name)}
                    onChange={(e) => {
                      setBeside(
                        e.target.checked ? [...beside, name] : beside.filter((n) => n !== name),
                      );
                    }}
                    className="accent-brass"
                  />
                  compare
                </label>
              ),
            }))}
            onOpen={(name) => {
              const found = drills.data?.[name];
              if (found) set(found);
              setCycle(1);
            }}
            onThrow={(name) => {
              void api
                .DELETE('/api/drills/{name}', { params: { path: { name } } })
                .then(() => queries.invalidateQueries({ queryKey: ['drills'] }));
            }}
            name="name to keep the drill under"
            most={60}
            keep="keep"
            keepable={read.data?.problem == null}
            onKeep={async (name) => {
              must(
                await api.PUT('/api/drills/{name}', {
                  params: { path: { name } },
                  body: { drill: { ...drill, name } },
                }),
              );
              set({ ...drill, name });
              await queries.invalidateQueries({ queryKey: ['drills'] });
            }}
          />
        </div>
        {as === 'fields' ? (
          <DrillForm
            drill={drill}
            onChange={set}
            symbols={(market.data?.rows ?? []).map((r) => r.symbol)}
          />
        ) : (
          <TextPart read={read.data} onDrill={set} />
        )}
      </section>
      <div ref={measure} className="flex min-w-0 flex-col">
        {read.data?.problem != null && <Notice>{read.data.problem}</Notice>}
        <ul aria-label="In plain words" className="pb-2 font-serif text-[15px] leading-[21px]">
          {(read.data?.words ?? []).map((w) => (
            <li key={w}>{w}</li>
          ))}
        </ul>
        {many ? (
          <SweepPart
            drill={settled}
            places={read.data?.varied ?? []}
            size={read.data?.count ?? 0}
          />
        ) : (
          <Asked query={played} what="cycles">
            {(p) => (
              <>
                {p.all.count > 0 && (
                  <>
                    <CyclePart
                      key={JSON.stringify(settled) + String(cycle)}
                      drill={settled}
                      cycle={Math.min(cycle, p.all.count)}
                    />
                    <section aria-label="Profit over time" className="pt-2">
                      <h2 className="font-serif text-[16px]">
                        Profit of all cycles, session by session
                      </h2>
                      <Curves
                        label="Profit of all cycles over time"
                        width={Math.max(320, width)}
                        curves={[
                          { name: '', points: p.curve.map((c) => ({ at: c.at, value: c.profit })) },
                        ]}
                      />
                    </section>
                  </>
                )}
                {p.all.count === 0 && (
                  <p className="py-4 text-ink2">
                    No cycle was entered between {p.first.slice(0, 10)} and {p.last.slice(0, 10)};
                    the table below tells what was skipped.
                  </p>
                )}
              </>
            )}
          </Asked>
        )}
      </div>
      <div className="col-span-full flex min-w-0 flex-col">
        {!many && played.data && (
          <DrillResults played={played.data} cycle={cycle} onCycle={setCycle} />
        )}
        {names.length > 0 && (
          <Beside drills={names.flatMap((n) => (drills.data?.[n] ? [drills.data[n]] : []))} />
        )}
      </div>
    </div>
  );
}

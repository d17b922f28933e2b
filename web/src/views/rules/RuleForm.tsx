import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { api, must, type Measure, type Rule, type Structure } from '../../api/client';
import { marketsQuery } from '../../api/queries';
import { useLive } from '../../api/live';
import { shortWhen } from '../../format';
import { cents, tone } from '../../money';
import { Button, Choices, Notice } from '../../ui/controls';
import { DataTable } from '../../ui/DataTable';
import { isDecimal, STRUCTURES, UNITS } from './words';

const field = 'h-6 rounded border border-strong bg-raised px-2';

function ScopeFields({
  rule,
  measure,
  onChange,
}: {
  rule: Rule;
  measure: Measure;
  onChange: (scope: Rule['scope']) => void;
}) {
  const markets = useQuery(marketsQuery).data ?? [];
  const positions = useLive((s) => s.book?.positions) ?? [];
  const scope = rule.scope;
  if (measure.subject === 'account') return null;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="text-ink2">for</span>
      <Choices
        label="Whom it is for"
        value={scope.for}
        onChange={(of) => {
          if (of === 'all') onChange({ for: 'all' });
          if (of === 'structure') onChange({ for: 'structure', structure: 'condor' });
          if (of === 'symbol') onChange({ for: 'symbol', symbol: markets[0]?.symbol ?? '' });
          if (of === 'campaign')
            onChange({ for: 'campaign', campaign: positions[0]?.campaign ?? 0 });
        }}
        choices={[
          { value: 'all', label: 'all' },
          { value: 'structure', label: 'a structure' },
          { value: 'symbol', label: 'a symbol' },
          ...(measure.subject === 'campaign' && positions.length > 0
            ? [{ value: 'campaign' as const, label: 'a campaign' }]
            : []),
        ]}
      />
      {scope.for === 'structure' && (
        <select
          aria-label="Which structure"
          value={scope.structure}
          onChange={(e) => {
            onChange({ for: 'structure', structure: e.target.value as Structure });
          }}
          className={field}
        >
          {STRUCTURES.map((s) => (
            <option key={s}>{s}</option>
          ))}
        </select>
      )}
      {scope.for === 'symbol' && (
        <select
          aria-label="Which symbol"
          value={scope.symbol}
          onChange={(e) => {
            onChange({ for: 'symbol', symbol: e.target.value });
          }}
          className={field}
        >
          {markets.map((m) => (
            <option key={m.symbol}>{m.symbol}</option>
          ))}
        </select>
      )}
      {scope.for === 'campaign' && (
        <select
          aria-label="Which campaign"
          value={scope.campaign}
          onChange={(e) => {
            onChange({ for: 'campaign', campaign: Number(e.target.value) });
          }}
          className={field}
        >
          {positions.map((p) => (
            <option key={p.campaign} value={p.campaign}>
              {p.symbol} {p.title}
            </option>
          ))}
        </select>
      )}
    </div>
  );
}

/** How often it would have rung over the campaigns that are closed, and what came after. */
function Tried({ rule }: { rule: Rule }) {
  const asked = useQuery({
    queryKey: ['rules', 'tried', rule],
    staleTime: 60_000,
    retry: false,
    queryFn: async () => must(await api.POST('/api/rules/tried', { body: rule })),
  });
  const t = asked.data;
  if (asked.error) return <Notice>{asked.error.message}</Notice>;
  if (!t) return <p className="text-ink2">Reading the closed campaigns</p>;
  return (
    <div className="flex flex-col gap-1">
      <p>
        It would have rung for <b>{t.cases.length}</b> of {t.of} closed campaigns that it counts
        for, looked at each close
        {t.cases.length > 0 && (
          <>
            : at <b className={tone(t.then)}>{cents(t.then, true)}</b> in all when it rang, against{' '}
            <b className={tone(t.end)}>{cents(t.end, true)}</b> taken in the end
          </>
        )}
        .
      </p>
      {t.cases.length > 0 && (
        <DataTable
          label="Closed campaigns that it would have rung for"
          rows={t.cases}
          id={(c) => c.campaign}
          columns={[
            {
              key: 'title',
              head: 'campaign',
              left: true,
              by: (c) => c.title,
              cell: (c) => c.title,
            },
            {
              key: 'at',
              head: 'it rang',
              left: true,
              by: (c) => c.at,
              cell: (c) => shortWhen(c.at),
            },
            {
              key: 'then',
              head: 'profit then',
              by: (c) => Number(c.then ?? Number.NaN),
              cell: (c) => <span className={tone(c.then)}>{cents(c.then, true)}</span>,
            },
            {
              key: 'end',
              head: 'taken in the end',
              by: (c) => Number(c.end),
              cell: (c) => <span className={tone(c.end)}>{cents(c.end, true)}</span>,
            },
          ]}
        />
      )}
    </div>
  );
}

/** A rule being written: what it looks at, its side, limit, whom it is for, and when it rings again. */
export function RuleForm({
  measure: m,
  id,
  start,
  done,
}: {
  measure: Measure;
  /** Of a rule that is changed. */
  id?: number;
  start: Rule;
  done: () => void;
}) {
  const client = useQueryClient();
  const [rule, setRule] = useState<Rule>(start);
  const [tried, setTried] = useState<Rule>();
  const again = async () => {
    await Promise.all(
      ['rules', 'rounds', 'evaluation'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    );
    done();
  };
  const keep = useMutation({
    mutationFn: async () => {
      must(
        id === undefined
          ? await api.POST('/api/rules', { body: rule })
          : await api.PUT('/api/rules/{id}', { params: { path: { id } }, body: rule }),
      );
    },
    onSuccess: again,
  });
  const again_ = rule.again;
  const whole =
    isDecimal(rule.limit) && (again_ === undefined || again_ === null || isDecimal(again_));
  return (
    <form
      aria-label={m.noun}
      className="flex flex-col gap-2 rounded border border-brass bg-raised p-3"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate();
      }}
    >
      <div className="flex flex-wrap items-center gap-2">
        <b>{m.noun}</b>
        {m.sides.length > 1 ? (
          <Choices
            label="Side of the limit"
            value={rule.side}
            onChange={(side) => {
              setRule({ ...rule, side });
            }}
            choices={m.sides.map((value) => ({ value, label: value }))}
          />
        ) : (
          <span>{m.sides[0]}</span>
        )}
        <input
          aria-label="Limit"
          inputMode="decimal"
          // The form was opened to write one.
          autoFocus
          value={rule.limit}
          onChange={(e) => {
            setRule({ ...rule, limit: e.target.value.trim() });
          }}
          className={`num w-24 font-semibold ${field}`}
        />
        <span className="text-ink2">{UNITS[m.unit]}</span>
      </div>
      <ScopeFields
        rule={rule}
        measure={m}
        onChange={(scope) => {
          setRule({ ...rule, scope });
        }}
      />
      {m.subject !== 'trade' && (
        <div className="flex flex-wrap items-center gap-2">
          <span className="text-ink2">rings</span>
          <Choices
            label="When it rings again"
            value={again_ == null ? 'once' : 'again'}
            onChange={(how) => {
              setRule({ ...rule, again: how === 'once' ? undefined : '0' });
            }}
            choices={[
              { value: 'once', label: 'only once' },
              { value: 'again', label: 'again after it went back by' },
            ]}
          />
          {again_ != null && (
            <>
              <input
                aria-label="How far it has to go back"
                inputMode="decimal"
                value={again_}
                onChange={(e) => {
                  setRule({ ...rule, again: e.target.value.trim() });
                }}
                className={`num w-16 ${field}`}
              />
              <span className="text-ink2">{UNITS[m.unit]}</span>
            </>
          )}
        </div>
      )}
      {keep.error && <Notice>{keep.error.message}</Notice>}
      <div className="flex flex-wrap gap-2">
        <Button type="submit" weight="strong" disabled={!whole || keep.isPending}>
          {id === undefined ? 'Set this rule' : 'Change it'}
        </Button>
        {m.subject === 'campaign' && (
          <Button
            disabled={!whole}
            onClick={() => {
              setTried(rule);
            }}
          >
            What would it have done?
          </Button>
        )}
        <Button weight="quiet" onClick={done}>
          leave it
        </Button>
      </div>
      {tried && <Tried rule={tried} />}
    </form>
  );
}

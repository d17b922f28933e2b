import { BASE, fileOf } from '../../api/base';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect, useRef, useState } from 'react';
import {
  api,
  must,
  type Measure,
  type RuleShown,
  type Rules,
  type RulesFile,
} from '../../api/client';
import { useFeed } from '../../api/feed';
import { followBook, useLive } from '../../api/live';
import { rulesQuery } from '../../api/queries';
import { Asked } from '../../ui/Asked';
import { Button, Notice } from '../../ui/controls';
import { Page } from '../../ui/Page';
import { RuleForm } from './RuleForm';
import { GROUPS, ruleAbout } from './words';

function RuleLine({
  shown: r,
  measure,
  change,
}: {
  shown: RuleShown;
  measure: Measure;
  change: () => void;
}) {
  const client = useQueryClient();
  const positions = useLive((s) => s.book?.positions) ?? [];
  const again = () =>
    Promise.all(
      ['rules', 'rounds', 'evaluation'].map((key) => client.invalidateQueries({ queryKey: [key] })),
    );
  const turn = useMutation({
    mutationFn: async () => {
      must(
        await api.PUT('/api/rules/{id}', {
          params: { path: { id: r.id } },
          body: { ...r.rule, on: !r.rule.on },
        }),
      );
    },
    onSuccess: again,
  });
  const remove = useMutation({
    mutationFn: async () => {
      must(await api.DELETE('/api/rules/{id}', { params: { path: { id: r.id } } }));
    },
    onSuccess: again,
  });
  const stands = r.stands.map((id) => {
    const p = positions.find((x) => x.campaign === id);
    return id === 0 ? 'the account' : p ? `${p.symbol} ${p.title}` : `campaign ${id}`;
  });
  const trouble = turn.error ?? remove.error;
  return (
    <li className="flex flex-wrap items-baseline gap-x-3 gap-y-1 border-b border-hair py-1.5">
      <label className="flex items-baseline gap-1.5">
        <input
          type="checkbox"
          checked={r.rule.on}
          aria-label={`in force: ${r.sentence}`}
          disabled={turn.isPending}
          onChange={() => {
            turn.mutate();
          }}
          className="accent-[var(--brass)]"
        />
      </label>
      <span className={`min-w-0 flex-1 ${r.rule.on ? '' : 'text-ink2'}`}>
        {r.sentence}
        {!r.rule.on && ' (off)'}
        {stands.length > 0 && (
          <span className="block text-[12px] text-brass">holds now: {stands.join(', ')}</span>
        )}
        {trouble && <Notice>{trouble.message}</Notice>}
      </span>
      <span className="flex gap-1">
        <Button weight="quiet" aria-label={`change: ${measure.noun}`} onClick={change}>
          change
        </Button>
        <Button
          weight="quiet"
          disabled={remove.isPending}
          aria-label={`throw away: ${measure.noun}`}
          onClick={() => {
            remove.mutate();
          }}
        >
          throw away
        </Button>
      </span>
    </li>
  );
}

function FileButtons() {
  const client = useQueryClient();
  const input = useRef<HTMLInputElement>(null);
  const read = useMutation({
    mutationFn: async (file: File) => {
      let body: RulesFile;
      try {
        body = JSON.parse(await file.text()) as RulesFile;
      } catch {
        throw new Error(`${file.name} is no JSON; choose a file of rules that was saved here`);
      }
      must(await api.PUT('/api/rules/file', { body }));
    },
    onSuccess: () => client.invalidateQueries({ queryKey: ['rules'] }),
  });
  return (
    <>
      <a
        href={`${BASE}/api/rules/file`}
        download={fileOf('rules.json')}
        className="inline-flex h-6 items-center rounded border border-strong bg-raised px-2 font-semibold hover:border-brass"
      >
        save as a file
      </a>
      <Button
        disabled={read.isPending}
        onClick={() => {
          input.current?.click();
        }}
      >
        read a file
      </Button>
      <input
        ref={input}
        type="file"
        accept="application/json,.json"
        aria-label="A file of rules; it takes the place of all"
        className="sr-only"
        tabIndex={-1}
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) read.mutate(file);
          e.target.value = '';
        }}
      />
      {read.error && <Notice>{read.error.message}</Notice>}
      {read.isSuccess && <span className="text-ink2">read; it took the place of all</span>}
    </>
  );
}

function Told({ rules: r }: { rules: Rules }) {
  // What is being written: a new rule about a measure, or a change of one.
  const [writing, setWriting] = useState<{ measure: string; id?: number }>();
  const waiting = useFeed()?.rulesWait ?? 0;
  const groups = Object.keys(GROUPS) as Measure['group'][];
  const done = () => {
    setWriting(undefined);
  };
  return (
    <>
      <p className="max-w-[80ch] text-ink2">
        Your own limits and habits. Nothing is set until you set it. A rule about campaigns or the
        account rings and asks in rounds; a rule about new trades marks the ticket. Of rules on one
        thing the narrower counts: a campaign before a symbol, a symbol before a structure, a
        structure before all. Campaigns are looked at when the exchange opens, every ten minutes and
        at the close; the account’s own figures at the opening, at 10, 12 and 14 o’clock and at the
        close.
      </p>
      {waiting > 0 && (
        <p className="pt-2 font-semibold text-loss">
          {waiting === 1 ? '1 rule waits' : `${waiting} rules wait`}: the quotes of something held
          are stale.
        </p>
      )}
      <div className="grid grid-cols-2 gap-x-10 gap-y-5 pt-3 max-[1180px]:grid-cols-1">
        {groups.map((g) => {
          const own = r.rules.filter((x) => x.group === g);
          const measures = r.measures.filter((m) => m.group === g);
          return (
            <section key={g} aria-label={GROUPS[g]} className="flex flex-col gap-1">
              <h2 className="border-b border-strong font-semibold">{GROUPS[g]}</h2>
              {own.length > 0 && (
                <ul>
                  {own.map((x) => {
                    const m = r.measures.find((y) => y.measure === x.rule.measure);
                    if (!m) return null;
                    return writing?.id === x.id ? (
                      <li key={x.id} className="py-1">
                        <RuleForm measure={m} id={x.id} start={x.rule} done={done} />
                      </li>
                    ) : (
                      <RuleLine
                        key={x.id}
                        shown={x}
                        measure={m}
                        change={() => {
                          setWriting({ measure: m.measure, id: x.id });
                        }}
                      />
                    );
                  })}
                </ul>
              )}
              <div className="flex flex-wrap gap-1 pt-1">
                {measures.map((m) => (
                  <Button
                    key={m.measure}
                    weight="quiet"
                    className="!border-hair !font-normal"
                    aria-expanded={writing?.measure === m.measure && writing.id === undefined}
                    onClick={() => {
                      setWriting({ measure: m.measure });
                    }}
                  >
                    + {m.noun}
                  </Button>
                ))}
              </div>
              {measures.map(
                (m) =>
                  writing?.measure === m.measure &&
                  writing.id === undefined && (
                    <RuleForm key={m.measure} measure={m} start={ruleAbout(m)} done={done} />
                  ),
              )}
            </section>
          );
        })}
      </div>
    </>
  );
}

/** My rules: read back as sentences, grouped by kind, each off until it is set. */
export function RulesView() {
  const rules = useQuery(rulesQuery);
  useEffect(() => {
    followBook(true);
    return () => {
      followBook(false);
    };
  }, []);
  return (
    <Page title="My rules" beside={<FileButtons />}>
      <Asked query={rules} what="rules">
        {(r) => <Told rules={r} />}
      </Asked>
    </Page>
  );
}

import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { api, must, type CampaignPage } from '../../api/client';
import { campaignQuery } from '../../api/queries';
import { choose, put } from '../../drafts/store';
import { fixed, longWhen, percent } from '../../format';
import { money, tone } from '../../money';
import { openTicket } from '../../ticket/open';
import { Asked } from '../../ui/Asked';
import { Button, Figure, Notice } from '../../ui/controls';
import { Term } from '../../ui/terms';
import { lookWithout } from '../balance/look';
import { Coming } from './Coming';
import { Life } from './Life';
import { LiveAgain } from './LiveAgain';
import { Picture } from './Picture';
import { Scroll } from '../../ui/Page';
import { Why } from './Why';

const th = 'border-b border-strong px-2 py-1 text-[12px] font-normal text-ink2';
const field = 'h-6 rounded border border-strong bg-raised px-2 placeholder:text-ink2';

/** What the trader says of it: name, tags, note; and what belongs together. */
function Label({ page: p }: { page: CampaignPage }) {
  const client = useQueryClient();
  const navigate = useNavigate();
  const c = p.campaign;
  const [name, setName] = useState(c.name);
  const [tags, setTags] = useState(c.tags.join(', '));
  const [note, setNote] = useState(c.note);
  const [into, setInto] = useState('');
  const [off, setOff] = useState('');
  const written = {
    name,
    note,
    tags: tags
      .split(',')
      .map((t) => t.trim())
      .filter(Boolean),
  };
  const changed = name !== c.name || note !== c.note || written.tags.join() !== c.tags.join();
  const path = { params: { path: { id: c.campaign } } };
  const again = () => client.invalidateQueries({ queryKey: ['campaign'] });
  const keep = useMutation({
    mutationFn: async () => must(await api.PUT('/api/campaigns/{id}', { ...path, body: written })),
    onSuccess: again,
  });
  const merge = useMutation({
    mutationFn: async (into: number) =>
      must(await api.POST('/api/campaigns/{id}/merge', { ...path, body: { into } })),
    onSuccess: async (other) => {
      await again();
      void navigate(`/campaign/${other.campaign}`);
    },
  });
  const move = useMutation({
    mutationFn: async (leg: { contract: string; quantity: number }) =>
      must(await api.POST('/api/campaigns/{id}/move', { ...path, body: { legs: [leg] } })),
    onSuccess: async (other) => {
      await again();
      void navigate(`/campaign/${other.campaign}`);
    },
  });
  const trouble = keep.error ?? merge.error ?? move.error;
  return (
    <div className="flex flex-col gap-2">
      <form
        className="flex flex-wrap items-center gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          if (changed) keep.mutate();
        }}
      >
        <input
          aria-label="Name"
          placeholder="a name of your own"
          maxLength={60}
          value={name}
          onChange={(e) => {
            setName(e.target.value);
          }}
          className={`${field} w-56`}
        />
        <input
          aria-label="Tags"
          placeholder="tags, parted by commas"
          value={tags}
          onChange={(e) => {
            setTags(e.target.value);
          }}
          className={`${field} w-56`}
        />
        <Button type="submit" disabled={!changed || keep.isPending}>
          keep
        </Button>
        <LiveAgain page={p} />
      </form>
      <div className="flex flex-wrap items-center gap-2">
        {p.others.length > 0 && (
          <>
            <select
              aria-label="Another campaign"
              value={into}
              onChange={(e) => {
                setInto(e.target.value);
              }}
              className={`${field} max-w-64`}
            >
              <option value="">another campaign of {c.symbol}</option>
              {p.others.map((o) => (
                <option key={o.campaign} value={o.campaign}>
                  {o.campaign}: {o.title}
                  {o.open ? '' : ', closed'}
                </option>
              ))}
            </select>
            <Button
              disabled={into === '' || merge.isPending}
              onClick={() => {
                merge.mutate(Number(into));
              }}
            >
              make this a part of it
            </Button>
          </>
        )}
        {c.held.length > 1 && (
          <>
            <select
              aria-label="Leg"
              value={off}
              onChange={(e) => {
                setOff(e.target.value);
              }}
              className={`${field} max-w-64`}
            >
              <option value="">a leg</option>
              {p.position?.legs.map((l) => (
                <option key={l.contract} value={l.contract}>
                  {l.quantity} × {l.label}
                </option>
              ))}
            </select>
            <Button
              disabled={off === '' || move.isPending}
              onClick={() => {
                const leg = c.held.find((l) => l.contract === off);
                if (leg) move.mutate(leg);
              }}
            >
              split it off
            </Button>
          </>
        )}
      </div>
      <textarea
        aria-label="Note"
        placeholder="why it was opened, what would make you leave it"
        rows={2}
        maxLength={4000}
        value={note}
        onChange={(e) => {
          setNote(e.target.value);
        }}
        className="w-full rounded border border-strong bg-raised px-2 py-1 placeholder:text-ink2"
      />
      {trouble && <Notice>{trouble.message}</Notice>}
    </div>
  );
}

/** Its chapters, with what each did to the running total. */
function Chapters({ page: p }: { page: CampaignPage }) {
  const c = p.campaign;
  const head = (text: string, right = true) => (
    <th key={text} className={`${th} ${right ? 'text-right' : 'text-left'}`}>
      {text}
    </th>
  );
  return (
    <table data-testid="chapters" className="w-full border-collapse">
      <caption className="sr-only">Chapters, oldest first</caption>
      <thead>
        <tr>
          {head('day')}
          {head('when', false)}
          {head('what', false)}
          {head('in words', false)}
          {head('cash')}
          {head('realised')}
          {head('fees')}
          {head('running total')}
        </tr>
      </thead>
      <tbody>
        {c.chapters.map((x) => (
          <tr key={x.entry} className="border-b border-hair">
            <td className="num px-2 text-ink2">{x.day}</td>
            <td className="px-2 py-1 whitespace-nowrap tabular-nums">{longWhen(x.at)}</td>
            <td className="px-2 font-semibold whitespace-nowrap">{x.kind}</td>
            <td className="px-2">
              {x.words}
              <span className="text-ink2"> · ledger {x.entry}</span>
              <Why chapter={x} campaign={c.campaign} />
            </td>
            <td className={`num px-2 ${tone(x.cash)}`}>{money(x.cash, true)}</td>
            <td className={`num px-2 ${tone(x.realised)}`}>{money(x.realised, true)}</td>
            <td className="num px-2">{money(x.fees)}</td>
            <td className={`num px-2 font-semibold ${tone(x.running)}`}>
              {money(x.running, true)}
            </td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr className="border-t border-strong font-semibold">
          <td colSpan={4} className="px-2 py-1">
            in all
          </td>
          <td className={`num px-2 ${tone(c.netCash)}`}>{money(c.netCash, true)}</td>
          <td className={`num px-2 ${tone(c.realised)}`}>{money(c.realised, true)}</td>
          <td className="num px-2">{money(c.fees)}</td>
          <td className={`num px-2 ${tone(c.chapters.at(-1)?.running)}`}>
            {money(c.chapters.at(-1)?.running, true)}
          </td>
        </tr>
      </tfoot>
    </table>
  );
}

/** The figures of the whole campaign. */
function Figures({ page: p }: { page: CampaignPage }) {
  const at = p.position;
  if (!at) return null;
  const limit = (text: string | null | undefined, plus: boolean) =>
    text == null ? 'no limit' : money(text, plus);
  return (
    <div className="flex flex-wrap gap-x-6 gap-y-1">
      <Figure name="in all" value={money(at.total, true)} tone={tone(at.total)} />
      <Figure
        name={<Term of="openProfit" />}
        value={money(at.openProfit, true)}
        tone={tone(at.openProfit)}
      />
      <Figure
        name={<Term of="realised" />}
        value={money(at.realised, true)}
        tone={tone(at.realised)}
      />
      <Figure name={<Term of="fees" />} value={money(at.fees)} />
      {p.whole && (
        <>
          <Figure
            name={<Term of="maxProfit" />}
            value={limit(at.most, true)}
            tone={tone(at.most)}
          />
          <Figure name={<Term of="maxLoss" />} value={limit(at.least, false)} tone="text-loss" />
          <Figure
            name={<Term of="breakEven" />}
            value={at.evens.map((e) => money(e.from)).join(' · ') || 'none'}
          />
          <Figure
            name={<Term of="chanceOfProfit" />}
            value={`${percent(p.whole.chanceOfProfit, 0)} %`}
          />
        </>
      )}
      {at.greeks && (
        <>
          <Figure name={<Term of="delta" />} value={fixed(at.greeks.delta, 1, true)} />
          <Figure name={<Term of="theta" />} value={fixed(at.greeks.theta, 2, true)} />
          <Figure name={<Term of="vega" />} value={fixed(at.greeks.vega, 1, true)} />
        </>
      )}
      <Figure name={<Term of="margin" />} value={money(at.margin)} />
    </div>
  );
}

function Told({ page: p }: { page: CampaignPage }) {
  const navigate = useNavigate();
  const [full, setFull] = useState(false);
  const { campaign: c, position: at } = p;
  const ticket = (rolling: boolean) => () => {
    if (!at) return;
    openTicket({
      symbol: at.symbol,
      unit: at.closing,
      quantity: at.packages,
      rolling,
      closing: {
        campaign: c.campaign,
        name: `${at.name} ${at.strikes}`,
        held: at.packages,
      },
    });
  };
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-baseline gap-3 pt-3">
        <h1 className="font-serif text-[22px] first-letter:uppercase">{c.title}</h1>
        <Link
          to={`/chain/${c.symbol}`}
          className="font-semibold text-brass underline-offset-2 hover:underline"
        >
          {c.symbol}
        </Link>
        <span className="text-ink2">campaign {c.campaign}</span>
        {c.held.length === 0 && <b>closed</b>}
        <span className="ml-auto flex gap-2">
          {at && (
            <Button
              title="The whole book as it would be without this campaign"
              onClick={() => {
                lookWithout(c.campaign);
                void navigate('/balance');
              }}
            >
              the book without it
            </Button>
          )}
          {at && (
            <Button
              onClick={() => {
                const slot = put({ symbol: c.symbol, legs: c.held });
                if (!slot) {
                  setFull(true);
                  return;
                }
                choose(slot);
                void navigate('/bench');
              }}
            >
              its legs to the bench
            </Button>
          )}
          {at && (
            <Button weight="strong" onClick={() => void navigate(`/rework/${c.campaign}`)}>
              rework
            </Button>
          )}
          {at?.expiry && at.oneOrder && <Button onClick={ticket(true)}>roll</Button>}
          {at?.oneOrder && <Button onClick={ticket(false)}>close all</Button>}
        </span>
      </div>
      {full && <Notice>The tray is full: throw a draft away first.</Notice>}
      <p data-testid="campaign-sentence" className="font-serif text-[16px] leading-6">
        {p.sentence}
      </p>
      <Figures page={p} />
      {!p.whole && c.held.length > 0 && (
        <Notice>
          {`No outline: ${at?.unvalued.join(', ') || 'a leg'} has no market now and is counted at cost.`}
        </Notice>
      )}
      <Coming page={p} />
      <Picture page={p} />
      <Life page={p} />
      <Chapters page={p} />
      <Label key={c.campaign} page={p} />
    </div>
  );
}

/** One campaign, from its first opening to its last close. */
export function CampaignView() {
  const id = Number(useParams().id);
  const page = useQuery(campaignQuery(id));
  return (
    <Scroll label="Campaign" className="h-full px-4 pb-6">
      <Asked query={page} what="campaign">
        {(p) => <Told page={p} />}
      </Asked>
    </Scroll>
  );
}

import { Popover } from 'radix-ui';
import { Fragment, startTransition, useEffect, useState } from 'react';
import { Link } from 'react-router';
import { followBook, useLive } from '../../api/live';
import type { Position } from '../../api/client';
import { money } from '../../money';
import { Button } from '../../ui/controls';
import { useWidth } from '../../ui/narrow';
import { Term } from '../../ui/terms';
import { close, CloseSeveral, type Picked } from './close';
import { COLUMNS, toggleColumn, useBookColumns, type BookColumn } from './columns';
import { Details } from './Details';
import { Page } from '../../ui/Page';

const th =
  'sticky top-0 z-10 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal text-ink2 whitespace-nowrap';

/** Width of what can be done with a campaign. */
const ACTIONS = 168;

const GROUPS = {
  '': { name: 'not grouped', of: () => '' },
  symbol: { name: 'by symbol', of: (p: Position) => p.symbol },
  expiry: { name: 'by expiration', of: (p: Position) => p.expiry ?? 'no expiration' },
  name: { name: 'by structure', of: (p: Position) => p.name },
  tag: { name: 'by tag', of: (p: Position) => p.tags[0] ?? 'no tag' },
} as const;
type Grouping = keyof typeof GROUPS;
type Sorting = { key: string; down: boolean } | undefined;

/** So many rows are drawn first; the rest come right behind them. */
const SCREENFUL = 20;

/** How many rows are drawn: a screenful at once, so that a long book is there before all of it is laid out. */
function useRows(loaded: boolean): number {
  const [rows, setRows] = useState(SCREENFUL);
  useEffect(() => {
    if (loaded)
      startTransition(() => {
        setRows(Infinity);
      });
  }, [loaded]);
  return rows;
}

/** In the order of a column; what has no figure there comes last. */
function sorted(all: Position[], sorting: Sorting): Position[] {
  const column = COLUMNS.find((c) => c.key === sorting?.key);
  if (!column || !sorting) return all;
  const way = sorting.down ? -1 : 1;
  return [...all].sort((a, b) => {
    const [x, y] = [column.by(a), column.by(b)];
    if (x == null || y == null) return x == null ? (y == null ? 0 : 1) : -1;
    return x < y ? -way : x > y ? way : 0;
  });
}

/** What the page leaves for columns beside the names of the campaigns and what can be done with them. */
const BESIDE = 64 + 32 + 230 + ACTIONS;
/** As many of the columns as there is room for, the later ones giving way; in one hand each row is a card and has room for all. */
function fitting(columns: BookColumn[], width: number): BookColumn[] {
  if (width < 768) return columns;
  let room = width - BESIDE;
  return columns.filter((c) => {
    room -= c.width;
    return room >= 0;
  });
}

type RowProps = {
  p: Position;
  columns: BookColumn[];
  picked: number | undefined;
  pick: (n: number | undefined) => void;
};
/** A campaign in one row; more of it on demand. */
function Row({ p, columns, picked, pick }: RowProps) {
  const [open, setOpen] = useState(false);
  const half = Math.floor(p.packages / 2);
  const small = 'h-5! px-1.5!';
  const closing = (n: number) => () => {
    if (p.oneOrder) close(p, n);
    else pick(n);
  };
  return (
    <tbody className="border-b border-hair" data-testid={`position-${p.campaign}`}>
      <tr className="h-10 align-middle">
        <td data-whole className="px-2">
          <div className="flex items-center gap-1.5">
            <input
              type="checkbox"
              aria-label={`pick ${p.symbol} ${p.name} to close`}
              checked={picked !== undefined}
              onChange={(e) => {
                pick(e.target.checked ? p.packages : undefined);
              }}
              className="shrink-0 accent-[var(--brass)]"
            />
            {picked !== undefined && (
              <input
                aria-label={`how many of ${p.symbol} ${p.name}`}
                inputMode="numeric"
                value={picked === 0 ? '' : picked}
                onChange={(e) => {
                  const n = Number(e.target.value.replace(/\D/g, ''));
                  pick(Math.min(n, p.packages));
                }}
                className="num h-5 w-10 rounded border border-strong bg-raised px-1 font-semibold"
              />
            )}
            <button
              type="button"
              aria-expanded={open}
              aria-label={`legs and more of ${p.symbol} ${p.name}`}
              className="w-4 shrink-0 text-ink2 hover:text-ink"
              onClick={() => {
                setOpen(!open);
              }}
            >
              {open ? '▾' : '▸'}
            </button>
            <Link
              to={`/chain/${p.symbol}`}
              className="font-semibold text-brass underline-offset-2 hover:underline"
            >
              {p.symbol}
            </Link>
            <Link
              to={`/campaign/${p.campaign}`}
              title={`${p.title}: the campaign, from its first opening`}
              className="line-clamp-2 min-w-0 leading-4 underline-offset-2 hover:underline"
            >
              {p.expiry ? `${p.packages} × ` : `${p.packages} `}
              <b>{p.title}</b>
            </Link>
            {p.tags.map((t) => (
              <span key={t} className="rounded border border-hair px-1 text-[12px] text-ink2">
                {t}
              </span>
            ))}
            {p.unvalued.length > 0 && (
              <span
                className="text-loss"
                title={`no market: ${p.unvalued.join(', ')}, counted at cost`}
              >
                ◆ no market
              </span>
            )}
          </div>
        </td>
        {columns.map((c) => (
          <td
            key={c.key}
            data-head={c.head}
            className={`px-2 whitespace-nowrap ${c.left ? '' : 'num'}`}
          >
            {c.cell(p)}
          </td>
        ))}
        <td className="px-2">
          <div className="flex items-center justify-end gap-1">
            {p.expiry && p.oneOrder && (
              <Button
                className={small}
                onClick={() => {
                  close(p, p.packages, true);
                }}
                aria-label={`roll ${p.symbol} ${p.name}`}
              >
                roll
              </Button>
            )}
            <span className="text-[12px] text-ink2">close</span>
            {half > 0 && (
              <Button
                className={small}
                onClick={closing(half)}
                aria-label={`close half of ${p.symbol} ${p.name}`}
              >
                half
              </Button>
            )}
            <Button
              className={small}
              onClick={closing(p.packages)}
              aria-label={`close all of ${p.symbol} ${p.name}`}
            >
              all
            </Button>
          </div>
        </td>
      </tr>
      {open && (
        <tr>
          <td colSpan={columns.length + 2} className="border-t border-hair bg-raised">
            <Details p={p} />
          </td>
        </tr>
      )}
    </tbody>
  );
}

/** Which columns are shown. */
function Columns() {
  const { keys } = useBookColumns();
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button>columns ▾</Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={4}
          collisionPadding={8}
          aria-label="Columns of the book"
          className="z-40 grid grid-cols-2 gap-x-4 rounded border border-strong bg-raised p-3 shadow-[var(--shadow)]"
        >
          {COLUMNS.map((c) => (
            <label key={c.key} className="flex items-center gap-2 py-0.5">
              <input
                type="checkbox"
                checked={keys.includes(c.key)}
                onChange={() => {
                  toggleColumn(c.key);
                }}
                className="accent-[var(--brass)]"
              />
              {c.head}
            </label>
          ))}
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

/** Sums of what is listed, under the columns that have one. */
function Totals({ all, columns, name }: { all: Position[]; columns: BookColumn[]; name: string }) {
  return (
    <tr className="h-8 font-semibold">
      <td data-whole className="px-2">
        {name}
      </td>
      {columns.map((c) => (
        <td key={c.key} data-head={c.head} className="num px-2 whitespace-nowrap">
          {c.total?.(all)}
        </td>
      ))}
      <td />
    </tr>
  );
}

export function BookView() {
  const book = useLive((s) => s.book);
  const { keys } = useBookColumns();
  const width = useWidth();
  const columns = fitting(
    COLUMNS.filter((c) => keys.includes(c.key)),
    width,
  );
  const left = keys.length - columns.length;
  useEffect(() => {
    followBook(true);
    return () => {
      followBook(false);
    };
  }, []);
  const most = useRows(book !== undefined);
  const [picked, setPicked] = useState<Picked>({});
  const [wanted, setWanted] = useState('');
  const [grouping, setGrouping] = useState<Grouping>('');
  const [sorting, setSorting] = useState<Sorting>();
  if (!book) return <p className="p-6 text-ink2">Reading the book</p>;
  const has = (p: Position) =>
    [p.symbol, p.title, p.name, p.expiry ?? '', ...p.tags]
      .join(' ')
      .toLowerCase()
      .includes(wanted.trim().toLowerCase());
  const listed = sorted(book.positions.filter(has), sorting);
  const groups = [...new Set(listed.map(GROUPS[grouping].of))].map((name) => ({
    name,
    all: listed.filter((p) => GROUPS[grouping].of(p) === name),
  }));
  const drawn = new Set(groups.flatMap((g) => g.all).slice(0, most));
  const some = book.positions.some((p) => picked[p.campaign] !== undefined);
  const ordered = (key: string) =>
    sorting?.key === key ? (sorting.down ? 'descending' : 'ascending') : undefined;
  const order = (key: string) => {
    setSorting((s) =>
      s?.key !== key ? { key, down: true } : s.down ? { key, down: false } : undefined,
    );
  };
  return (
    <Page
      title="Book"
      beside={
        book.positions.length > 0 && (
          <>
            <input
              aria-label="Find in the book"
              placeholder="symbol, structure, expiration, tag"
              value={wanted}
              onChange={(e) => {
                setWanted(e.target.value);
              }}
              className="h-6 w-64 rounded border border-strong bg-raised px-2 placeholder:text-ink2"
            />
            <select
              aria-label="Grouping"
              value={grouping}
              onChange={(e) => {
                const key = e.target.value;
                if (key in GROUPS) setGrouping(key as Grouping);
              }}
              className="h-6 rounded border border-strong bg-raised px-1"
            >
              {Object.entries(GROUPS).map(([key, g]) => (
                <option key={key} value={key}>
                  {g.name}
                </option>
              ))}
            </select>
            <Columns />
            {left > 0 && (
              <span className="text-ink2">
                {left === 1 ? 'one column has' : `${left} columns have`} no room here
              </span>
            )}
          </>
        )
      }
    >
      {book.positions.length === 0 ? (
        <p className="text-ink2">
          No open positions. Build a draft in the{' '}
          <Link to="/chain" className="text-brass underline">
            chain
          </Link>
          , open its ticket and place it: once filled it is carried here with its profit, range and
          margin.
        </p>
      ) : (
        <>
          {some && (
            <CloseSeveral
              positions={book.positions}
              picked={picked}
              done={() => {
                setPicked({});
              }}
            />
          )}
          <table className="cards w-full table-fixed border-collapse">
            <colgroup>
              <col />
              {columns.map((c) => (
                <col key={c.key} style={{ width: c.width }} />
              ))}
              <col style={{ width: ACTIONS }} />
            </colgroup>
            <thead>
              <tr>
                <th className={`${th} text-left`}>campaign</th>
                {columns.map((c) => (
                  <th
                    key={c.key}
                    aria-sort={ordered(c.key)}
                    className={`${th} ${c.left ? 'text-left' : 'text-right'}`}
                  >
                    <button
                      type="button"
                      className="hover:text-ink"
                      onClick={() => {
                        order(c.key);
                      }}
                    >
                      {c.term ? (
                        <Term of={c.term} quiet>
                          {c.head}
                        </Term>
                      ) : (
                        c.head
                      )}
                      <span aria-hidden>{ordered(c.key) && (sorting?.down ? ' ▾' : ' ▴')}</span>
                    </button>
                  </th>
                ))}
                <th className={th}>
                  <span className="sr-only">actions</span>
                </th>
              </tr>
            </thead>
            {groups.map((g) => (
              <Fragment key={g.name}>
                {grouping !== '' && (
                  <tbody className="border-b border-hair bg-warm">
                    <Totals all={g.all} columns={columns} name={`${g.name}, ${g.all.length}`} />
                  </tbody>
                )}
                {g.all
                  .filter((p) => drawn.has(p))
                  .map((p) => (
                    <Row
                      key={p.campaign}
                      p={p}
                      columns={columns}
                      picked={picked[p.campaign]}
                      pick={(n) => {
                        setPicked((all) => {
                          const rest = Object.fromEntries(
                            Object.entries(all).filter(([id]) => Number(id) !== p.campaign),
                          );
                          return n === undefined ? rest : { ...rest, [p.campaign]: n };
                        });
                      }}
                    />
                  ))}
              </Fragment>
            ))}
            <tfoot className="border-t border-strong">
              <Totals
                all={listed}
                columns={columns}
                name={
                  listed.length === book.positions.length
                    ? `${listed.length} in all`
                    : `${listed.length} of ${book.positions.length}`
                }
              />
            </tfoot>
          </table>
          <p className="pt-2 text-ink2">
            Margin held: {book.held.map((h) => `${h.symbol} ${money(h.amount)}`).join(' · ')}.
            Positions in one underlying are margined together.
          </p>
        </>
      )}
    </Page>
  );
}

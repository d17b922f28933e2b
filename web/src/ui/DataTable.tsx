import { Fragment, useMemo, useState, type ReactNode } from 'react';

export type Column<T> = {
  key: string;
  head: ReactNode;
  /** What stands before a cell of a card: the head where that is plain text; empty for nothing. */
  name?: string;
  /** What rows are sorted by; what has none comes last. Without it the column cannot be sorted by. */
  by?: (row: T) => number | string | null | undefined;
  cell: (row: T) => ReactNode;
  left?: boolean;
  /** The foot of the column, where a sum has a meaning. */
  total?: (rows: T[]) => ReactNode;
};
type Sorting = { key: string; down: boolean } | undefined;

function sorted<T>(rows: T[], columns: Column<T>[], sorting: Sorting): T[] {
  const by = columns.find((c) => c.key === sorting?.key)?.by;
  if (!by || !sorting) return rows;
  const way = sorting.down ? -1 : 1;
  return [...rows].sort((a, b) => {
    const [x, y] = [by(a), by(b)];
    if (x == null || y == null) return x == null ? (y == null ? 0 : 1) : -1;
    return x < y ? -way : x > y ? way : 0;
  });
}

/** Rows under heads that sort them, with a foot; in one hand each row is a card. The head stays in sight. */
export function DataTable<T>({
  label,
  rows,
  columns,
  id,
  usual,
  under,
  most,
}: {
  label: string;
  rows: T[];
  columns: Column<T>[];
  id: (row: T) => string | number;
  /** The order that it begins with. */
  usual?: Sorting;
  /** What stands under a row that is opened. */
  under?: (row: T) => ReactNode;
  /** So many of the rows, in their order. */
  most?: number | undefined;
}) {
  const [sorting, setSorting] = useState<Sorting>(usual);
  const shown = useMemo(() => sorted(rows, columns, sorting), [rows, columns, sorting]);
  const side = (c: Column<T>) => (c.left ? 'text-left' : 'text-right');
  const totals = columns.some((c) => c.total);
  return (
    <table aria-label={label} className="cards w-full border-collapse">
      <thead>
        <tr>
          {columns.map((c) => {
            const ordered = sorting?.key === c.key;
            return (
              <th
                key={c.key}
                scope="col"
                aria-sort={ordered ? (sorting.down ? 'descending' : 'ascending') : undefined}
                className={`sticky top-0 z-10 border-b border-strong bg-ground px-2 py-1 text-[12px] font-normal whitespace-nowrap text-ink2 ${side(c)}`}
              >
                {c.by ? (
                  <button
                    type="button"
                    className="hover:text-ink"
                    onClick={() => {
                      setSorting(
                        ordered && !sorting.down
                          ? { key: c.key, down: true }
                          : ordered
                            ? usual
                            : { key: c.key, down: false },
                      );
                    }}
                  >
                    {c.head}
                    <span aria-hidden>{ordered && (sorting.down ? ' ▾' : ' ▴')}</span>
                  </button>
                ) : (
                  c.head
                )}
              </th>
            );
          })}
        </tr>
      </thead>
      <tbody>
        {shown.slice(0, most).map((row) => {
          const more = under?.(row);
          return (
            <Fragment key={id(row)}>
              <tr className="border-b border-hair">
                {columns.map((c) => (
                  <td
                    key={c.key}
                    data-head={(c.name ?? (typeof c.head === 'string' ? c.head : '')) || undefined}
                    className={`px-2 py-1 ${c.left ? '' : 'num'}`}
                  >
                    {c.cell(row)}
                  </td>
                ))}
              </tr>
              {more && (
                <tr className="border-b border-strong bg-raised">
                  <td colSpan={columns.length} className="px-2 py-2">
                    {more}
                  </td>
                </tr>
              )}
            </Fragment>
          );
        })}
      </tbody>
      {totals && (
        <tfoot className="border-t border-strong font-semibold">
          <tr>
            {columns.map((c) => (
              <td key={c.key} className={`px-2 py-1 ${c.left ? '' : 'num'}`}>
                {c.total?.(shown)}
              </td>
            ))}
          </tr>
        </tfoot>
      )}
    </table>
  );
}

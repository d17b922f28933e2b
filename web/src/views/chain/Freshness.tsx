import { lasts, useFeed } from '../../api/feed';

/** How old the quotes of a market of one's own are; nothing while they are those of now. */
export function Freshness({ symbol }: { symbol: string }) {
  const s = useFeed()?.symbols.find((x) => x.symbol === symbol);
  if (!s || (s.at != null && s.waits == null && (s.age ?? 0) === 0)) return null;
  const old = s.age != null && s.age > 0 ? `, ${lasts(s.age)} old` : '';
  return (
    <span
      data-testid="freshness"
      className={s.waits ? 'font-semibold text-loss' : 'text-ink2'}
      title={s.waits ? `${s.waits}: nothing is filled` : undefined}
    >
      {s.at == null ? 'no quotes yet' : `quotes of ${s.at.slice(11, 19)}${old}`}
      {s.waits != null && ', stale'}
    </span>
  );
}

/** On how many recorded sessions the rank looks, where that is not a year. */
export function RankedBy({ symbol }: { symbol: string }) {
  const s = useFeed()?.symbols.find((x) => x.symbol === symbol);
  if (!s || s.sessions >= 252) return null;
  return <> of {s.sessions} d</>;
}

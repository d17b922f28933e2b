import { count, fixed, shortWhen } from '../../format';
import { useSearch } from './search';

/** What came of the search: how many were judged, and what ruled others out. */
export function Judged() {
  const s = useSearch();
  const d = s.done;
  const several = (s.request?.symbols.length ?? 1) > 1;
  return (
    <p className="py-1 text-[12px] text-ink2" data-testid="judged">
      {count(s.judged)} judged
      {d && ` as of ${shortWhen(d.at)}, in ${fixed(d.took / 1000, 1)} s`}
      {s.stopped && '; stopped, so better ones may be left'}
      {d && d.ruledOut.length > 0 && (
        <>
          {'; ruled out: '}
          {d.ruledOut.map((r) => `${r.why} ${count(r.count)}`).join(' · ')}
        </>
      )}
      {d &&
        d.unvalued > 0 &&
        `; longer options without a volatility, in no candidate: ${count(d.unvalued)}`}
      {d && several && `; at most ${d.each} of each underlying`}
      {d &&
        d.leftOut.length > 0 &&
        `; not looked over: ${d.leftOut.map((l) => `${l.symbol} (${l.why})`).join(', ')}`}
      .
    </p>
  );
}

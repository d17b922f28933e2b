import { Link, useParams } from 'react-router';
import { Page } from '../../ui/Page';
import { ExpectPart } from './ExpectPart';
import { KeptPart } from './KeptPart';
import { MarketPart } from './MarketPart';

const PARTS = [
  { to: '/scout', words: 'by the market', part: undefined },
  { to: '/scout/expect', words: 'by what I expect', part: 'expect' },
  { to: '/scout/kept', words: 'what I expected', part: 'kept' },
];

/** Finding a trade: by the market, by what is expected; and what came of expectations. */
export function ScoutView() {
  const { part } = useParams();
  return (
    <Page
      title="Scout"
      beside={
        <nav aria-label="Parts of scout" className="flex gap-1">
          {PARTS.map((p) => (
            <Link
              key={p.to}
              to={p.to}
              aria-current={p.part === part ? 'page' : undefined}
              className="rounded border border-strong bg-raised px-2 leading-[22px] font-semibold hover:border-brass aria-[current=page]:border-brass aria-[current=page]:bg-brass-soft aria-[current=page]:text-brass"
            >
              {p.words}
            </Link>
          ))}
        </nav>
      }
    >
      {part === 'expect' ? <ExpectPart /> : part === 'kept' ? <KeptPart /> : <MarketPart />}
    </Page>
  );
}

import { Link, useParams } from 'react-router';
import { Page } from '../../ui/Page';
import { AccountPart } from './AccountPart';
import { BookPart } from './BookPart';

const PARTS = [
  { to: '/balance', words: 'the whole book', part: undefined },
  { to: '/balance/account', words: 'money and margin', part: 'account' },
];

/** The whole book under any market, and the account's own money. */
export function BalanceView() {
  const { part } = useParams();
  return (
    <Page
      title="Balance"
      beside={
        <nav aria-label="Parts of the balance" className="flex gap-1">
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
      {part === 'account' ? <AccountPart /> : <BookPart />}
    </Page>
  );
}

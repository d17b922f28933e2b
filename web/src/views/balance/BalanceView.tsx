import { useParams } from 'react-router';
import { Page, Parts } from '../../ui/Page';
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
      beside={<Parts label="Parts of the balance" parts={PARTS} current={part} />}
    >
      {part === 'account' ? <AccountPart /> : <BookPart />}
    </Page>
  );
}

import { useParams } from 'react-router';
import { Page, Parts } from '../../ui/Page';
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
    <Page title="Scout" beside={<Parts label="Parts of scout" parts={PARTS} current={part} />}>
      {part === 'expect' ? <ExpectPart /> : part === 'kept' ? <KeptPart /> : <MarketPart />}
    </Page>
  );
}

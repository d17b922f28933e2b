import { useParams } from 'react-router';
import { Page, Parts } from '../../ui/Page';
import { BesidePart } from './BesidePart';
import { DrillsPart } from './DrillsPart';
import { RunsPart } from './RunsPart';

const PARTS = [
  { to: '/rehearsal', words: 'by hand', part: undefined },
  { to: '/rehearsal/drills', words: 'by rules: drills', part: 'drills' },
  { to: '/rehearsal/beside', words: 'beside the account', part: 'beside' },
];

/** Living through past days: by hand in runs, by rules in drills. */
export function RehearsalView() {
  const { part } = useParams();
  return (
    <Page
      title="Rehearsal"
      beside={<Parts label="Parts of rehearsal" parts={PARTS} current={part} />}
    >
      {part === 'drills' ? <DrillsPart /> : part === 'beside' ? <BesidePart /> : <RunsPart />}
    </Page>
  );
}

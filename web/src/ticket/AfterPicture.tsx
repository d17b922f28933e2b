import type { After } from '../api/client';
import { money, tone } from '../money';
import { Picture } from './Picture';

/** What is left of a campaign after the order, with all that it has realised; never the order as if it stood alone. */
export function AfterPicture({ after: a, spot }: { after: After; spot: number }) {
  if (!a.left)
    return (
      <p data-testid="after">
        <b>Nothing is left open.</b> The campaign ends with{' '}
        <b className={tone(a.booked)}>{money(a.booked, true)}</b> after fees.
      </p>
    );
  return (
    <figure data-testid="after">
      <figcaption>
        Left afterwards: <b>{a.left}</b>. Realised by then{' '}
        <b className={tone(a.booked)}>{money(a.booked, true)}</b>, fees taken off.
      </figcaption>
      <Picture
        name="The campaign afterwards"
        prices={a.prices}
        outline={a.outline}
        today={a.today}
        spot={spot}
        height={116}
      />
    </figure>
  );
}

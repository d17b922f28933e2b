import { useLive } from '../api/live';
import { fixed } from '../format';
import { cents, isNegative, tone } from '../money';
import { CommandButton, Figure, Tip } from '../ui/controls';
import { Term } from '../ui/terms';
import { useTheme } from '../ui/theme';
import { Bells } from './Bells';
import { ClockControls } from './ClockControls';

export function Masthead() {
  const m = useLive((s) => s.masthead);
  const theme = useTheme((s) => s.theme);
  return (
    <header className="flex items-center gap-6 border-b border-hair bg-raised px-4 max-lg:gap-4 max-md:flex-wrap max-md:gap-x-6 max-md:gap-y-1 max-md:px-3 max-md:py-1">
      <Figure
        value={<span data-testid="account-value">{cents(m?.accountValue)}</span>}
        name={<Term of="accountValue" />}
      />
      <Figure
        value={<span data-testid="buying-power">{cents(m?.buyingPower)}</span>}
        name={<Term of="buyingPower" />}
        tone={isNegative(m?.buyingPower) ? 'text-loss' : ''}
      />
      <Figure
        value={<span data-testid="today">{cents(m?.today, true)}</span>}
        name={<Term of="today" />}
        tone={tone(m?.today)}
      />
      {m && (
        <span className="font-serif text-[15px] italic max-[1180px]:hidden">
          <Term of="lean">leans {fixed(m.lean, 1, true)}</Term>,{' '}
          <Term of="earns">
            {m.theta >= 0 ? 'earns' : 'pays'} {fixed(Math.abs(m.theta), 0)} a day
          </Term>
        </span>
      )}
      {m && m.unvalued.length > 0 && (
        <Tip text={`No market now: ${m.unvalued.join(', ')}. Counted at what it cost.`}>
          <button type="button" className="cursor-default text-loss">
            {m.unvalued.length} without a market
          </button>
        </Tip>
      )}
      <div className="ml-auto flex items-center gap-2 max-md:ml-0 max-md:flex-wrap max-md:gap-1">
        <Bells />
        <div className="max-md:order-last">
          <ClockControls />
        </div>
        <CommandButton of="find">
          find <kbd className="font-sans text-ink2">/</kbd>
        </CommandButton>
        <CommandButton of="theme">{theme === 'light' ? 'night' : 'day'}</CommandButton>
        <CommandButton of="help" aria-label="Help">
          ?
        </CommandButton>
      </div>
    </header>
  );
}

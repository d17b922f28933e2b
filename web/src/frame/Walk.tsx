import { Popover } from 'radix-ui';
import { useEffect, useState } from 'react';
import { useNavigate } from 'react-router';
import { Button } from '../ui/controls';
import { kept } from '../ui/kept';

/** Once walked or skipped it does not come by itself again. */
export const useWalk = kept<{ seen: boolean }>('walk', { seen: false });

type Step = { at: string; title: string; text: string };
const STEPS: Step[] = [
  {
    at: '[data-walk=clock]',
    title: 'A market to practise in',
    text: 'Its prices are made here and its money is paper. The clock can be paused, taken ahead, or let run faster.',
  },
  {
    at: '[data-walk=ribbon]',
    title: 'Expirations on one line',
    text: 'Choose one and its strikes open below. Diamonds are earnings and ex-dates: what lies before your expiration is inside your trade.',
  },
  {
    at: '[data-walk=rows]',
    title: 'Click a price to build',
    text: 'An ask buys, a bid sells. Each becomes a leg that can be dragged to another strike. The picture beside the rows is on the same price axis: what you make or lose if the price ends there.',
  },
  {
    at: '[data-walk=summary]',
    title: 'What you have built, in words',
    text: 'Max profit, max loss, break-evens and capital. Where nothing limits a loss, it says so.',
  },
  {
    at: '[data-walk=tray]',
    title: 'Drafts wait here',
    text: 'Up to four at once, kept until you throw them away. The bench compares them, moves date and volatility, and tells chances.',
  },
  {
    at: '[data-walk=views]',
    title: 'From draft to book',
    text: 'The ticket reads an order back before it is sent. It works in Orders, is carried in Book, and every cent stands in Ledger. Rounds says each morning what asks for a decision. Press ? at any time for keys and words.',
  },
];

/** The upper part of what is pointed at: the words stand under it, not beyond the page. */
const topOf = ({ x, y, width, height }: DOMRect) =>
  DOMRect.fromRect({ x, y, width, height: Math.min(height, 120) });

/** Six steps over the real screen for a newcomer. The page stays usable; Esc or Skip ends it. */
export function Walk({ again, onDone }: { again: boolean; onDone: () => void }) {
  const seen = useWalk((s) => s.seen);
  const navigate = useNavigate();
  const [at, setAt] = useState(0);
  const [place, setPlace] = useState<DOMRect>();
  const open = again || !seen;
  const step = STEPS[at];
  useEffect(() => {
    // Who comes by a link to a chain stays there, with the draft that the link brings.
    if (open && !location.pathname.includes('/chain')) void navigate('/chain');
  }, [open, navigate]);
  useEffect(() => {
    if (!open || !step) return;
    const look = () => {
      const found = document.querySelector(step.at)?.getBoundingClientRect();
      setPlace((p) =>
        p && found && p.top === found.top && p.left === found.left && p.width === found.width
          ? p
          : found,
      );
    };
    look();
    const looking = setInterval(look, 250);
    return () => {
      clearInterval(looking);
    };
  }, [open, step]);
  if (!open || !step || !place) return null;
  const done = () => {
    useWalk.setState({ seen: true });
    setAt(0);
    onDone();
  };
  const last = at === STEPS.length - 1;
  return (
    <Popover.Root open>
      <Popover.Anchor virtualRef={{ current: { getBoundingClientRect: () => topOf(place) } }} />
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={8}
          collisionPadding={12}
          aria-label={step.title}
          data-testid="walk"
          onEscapeKeyDown={done}
          onInteractOutside={(e) => {
            e.preventDefault();
          }}
          className="z-50 w-[min(340px,92vw)] rounded border border-brass bg-raised p-3 shadow-[var(--shadow)]"
        >
          <h2 className="font-serif text-[16px]">{step.title}</h2>
          <p className="py-1">{step.text}</p>
          <div className="flex items-center gap-2 pt-1">
            <span className="mr-auto text-ink2">
              {at + 1} of {STEPS.length}
            </span>
            {!last && (
              <Button weight="quiet" onClick={done}>
                Skip
              </Button>
            )}
            {at > 0 && (
              <Button
                onClick={() => {
                  setAt(at - 1);
                }}
              >
                Back
              </Button>
            )}
            <Button
              weight="strong"
              onClick={() => {
                if (last) done();
                else setAt(at + 1);
              }}
            >
              {last ? 'Begin' : 'Next'}
            </Button>
          </div>
        </Popover.Content>
      </Popover.Portal>
      <div
        aria-hidden
        className="pointer-events-none fixed z-40 rounded border-2 border-brass"
        style={{
          top: place.top - 2,
          left: place.left - 2,
          width: place.width + 4,
          height: place.height + 4,
        }}
      />
    </Popover.Root>
  );
}

import { useState } from 'react';
import type { Reworked, ReworkMove, Which } from '../../api/client';
import { useDraftOf } from '../../drafts/answer';
import { Button, CommandButton } from '../../ui/controls';

type Props = { reworked: Reworked; onMove: (move: ReworkMove) => void; busy: boolean };

/** What a part can do along the list: later and nearer, higher and lower. */
function Along({ part, onMove, busy }: { part: Which } & Omit<Props, 'reworked'>) {
  const roll = (expirations: number, strikes: number) => () => {
    onMove({ roll: { part, expirations, strikes } });
  };
  return (
    <>
      <Button disabled={busy} onClick={roll(1, 0)}>
        later
      </Button>
      <Button disabled={busy} onClick={roll(-1, 0)}>
        nearer
      </Button>
      <Button disabled={busy} onClick={roll(0, 1)}>
        higher
      </Button>
      <Button disabled={busy} onClick={roll(0, -1)}>
        lower
      </Button>
    </>
  );
}

/** All moves, by what they are about. */
export function Moves({ reworked: r, onMove, busy }: Props) {
  const options = r.legs.filter((l) => l.then !== 0 && l.contract.length === 21);
  const draft = useDraftOf(r.symbol);
  const [chosen, choose] = useState('');
  const leg = options.find((l) => l.contract === chosen) ?? options[0];
  const [delta, setDelta] = useState('0.20');
  const size = Number(delta);
  const act = (move: ReworkMove) => () => {
    onMove(move);
  };
  const group = 'grid grid-cols-4 gap-1';
  const name = 'pt-1.5 pb-0.5 font-semibold';
  const none = options.length === 0;
  const wrong = !(size > 0 && size < 1);
  return (
    <section aria-label="Moves" className="flex flex-col">
      <h2 className={name}>All of it</h2>
      <div className={group}>
        <Along part="all" onMove={onMove} busy={busy || none} />
        <Button disabled={busy} onClick={act({ more: 1 })}>
          more
        </Button>
        <Button disabled={busy} onClick={act({ more: -1 })}>
          fewer
        </Button>
        <Button disabled={busy || none} onClick={act({ widen: 1 })}>
          wider
        </Button>
        <Button disabled={busy || none} onClick={act({ widen: -1 })}>
          tighter
        </Button>
        <Button className="col-span-2" disabled={busy || none} onClick={act('recentre')}>
          re-centre
        </Button>
        <Button className="col-span-2" disabled={busy} onClick={act({ close: 'all' })}>
          close all
        </Button>
      </div>
      <h2 className={name}>The pressed side</h2>
      <div className={group}>
        <Along part="pressed" onMove={onMove} busy={busy || none} />
        <Button className="col-span-4" disabled={busy || none} onClick={act({ close: 'pressed' })}>
          close it
        </Button>
      </div>
      <h2 className={name}>The quiet side</h2>
      <div className={group}>
        <Button className="col-span-2" disabled={busy || none} onClick={act({ closer: 1 })}>
          closer
        </Button>
        <Button className="col-span-2" disabled={busy || none} onClick={act({ close: 'quiet' })}>
          close it
        </Button>
      </div>
      <h2 className={name}>One leg</h2>
      <select
        aria-label="Leg"
        value={leg?.contract ?? ''}
        disabled={none}
        onChange={(e) => {
          choose(e.target.value);
        }}
        className="mb-1 h-6 rounded border border-strong bg-raised px-1"
      >
        {options.map((l) => (
          <option key={l.contract} value={l.contract}>
            {l.then > 0 ? 'bought' : 'sold'} {Math.abs(l.then)} × {l.label}
          </option>
        ))}
      </select>
      {leg && (
        <div className={group}>
          <Along part={{ leg: leg.contract }} onMove={onMove} busy={busy} />
          <label className="col-span-2 flex items-center gap-1 text-ink2">
            delta
            <input
              aria-label="Delta"
              inputMode="decimal"
              value={delta}
              onChange={(e) => {
                setDelta(e.target.value);
              }}
              className="num h-6 w-14 rounded border border-strong bg-raised px-1 font-semibold text-ink"
            />
          </label>
          <Button
            className="col-span-2"
            disabled={busy || wrong}
            onClick={act({ toDelta: { leg: leg.contract, delta: size } })}
          >
            to it
          </Button>
          {leg.then < 0 ? (
            <Button
              className="col-span-2"
              disabled={busy}
              onClick={act({ cover: { leg: leg.contract, strikes: 2 } })}
            >
              buy a wing
            </Button>
          ) : (
            <Button
              className="col-span-2"
              disabled={busy || wrong}
              onClick={act({ sellAgainst: { leg: leg.contract, delta: size } })}
            >
              sell against
            </Button>
          )}
          <Button
            className="col-span-2"
            disabled={busy}
            onClick={act({ close: { leg: leg.contract } })}
          >
            close it
          </Button>
        </div>
      )}
      <h2 className={name}>Another structure</h2>
      <div className={group}>
        <Button className="col-span-2" disabled={busy || none} onClick={act('intoCondor')}>
          iron condor
        </Button>
        <Button className="col-span-2" disabled={busy || none} onClick={act('intoButterfly')}>
          iron butterfly
        </Button>
        <Button
          className="col-span-4"
          disabled={busy || !draft?.legs.length}
          title={
            draft?.legs.length
              ? 'the legs of the draft in the tray, beside what is held'
              : `a draft on ${r.symbol} in the tray can be added: build it in the chain first`
          }
          onClick={() => {
            if (draft) onMove({ add: draft.legs });
          }}
        >
          add the draft&apos;s legs
        </Button>
      </div>
      <div className="mt-3 grid grid-cols-2 gap-1 border-t border-hair pt-2">
        <CommandButton of="undo" />
        <CommandButton of="redo" />
      </div>
    </section>
  );
}

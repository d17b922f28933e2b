import { useLive } from '../../api/live';
import type { Axis } from '../../chart/axis';
import { Outline } from '../../chart/Outline';
import { PictureLines } from '../../chart/PictureLines';
import { draftOf, useAnswer } from '../../drafts/answer';
import { isOption, parts } from '../../drafts/contract';
import { useDrafts } from '../../drafts/store';
import { useGhost } from '../../ui/ghost';
import type { Block } from './ChainGrid';
import type { LegActs } from './LegTab';
import { OutlineFoot, OutlineHead } from './OutlineEdges';

type Props = {
  symbol: string;
  level: number;
  spot: string;
  blocks: Block[];
  axes: Axis[];
  legActs: LegActs[];
  width: number;
};

/** The picture of the draft beside the rows, on their price axis. */
export function PictureColumn({ symbol, level, spot, blocks, axes, legActs, width }: Props) {
  const active = useDrafts((s) => s.active);
  const { evaluation } = useAnswer(symbol);
  // By the legs that were answered: a change of the draft draws nothing before its answer is there.
  const answered = useLive((s) => s.answer?.request.legs);
  const ghost = useGhost(evaluation, JSON.stringify(answered ?? []), `${active} ${symbol}`);
  const dragKink = (block: number) => (strike: number, e: React.PointerEvent) => {
    const legs = draftOf(useDrafts.getState(), symbol)?.legs ?? [];
    const leg = legs.find((l) => isOption(l.contract) && parts(l.contract).strike === strike);
    if (leg) legActs[block]?.drag(leg.contract, e);
  };
  return (
    <div className="border-l border-hair bg-raised" style={{ width }}>
      <div className="sticky top-0 z-20 flex h-6 items-center border-b border-strong bg-raised text-[12px]">
        <OutlineHead evaluation={evaluation} ghost={ghost !== undefined} />
      </div>
      {blocks.map((b, i) => {
        const axis = axes[i];
        return (
          axis && (
            <div key={b.key}>
              {blocks.length > 1 && <div className="h-6 border-b border-hair" />}
              <div className="relative" style={{ height: axis.height }}>
                {b.rows.length > 1 && (
                  <PictureLines
                    axis={axis}
                    width={width}
                    level={level}
                    spot={spot}
                    mark={b.mark}
                    evaluation={evaluation}
                  />
                )}
                {evaluation && b.rows.length > 1 && (
                  <Outline
                    id={`b${i}`}
                    evaluation={evaluation}
                    ghost={ghost}
                    axis={axis}
                    width={width}
                    bands={b.mark.bands}
                    onDragKink={dragKink(i)}
                  />
                )}
              </div>
            </div>
          )
        );
      })}
      <OutlineFoot evaluation={evaluation} />
    </div>
  );
}

import { bandsOf, inside, layer, type LevelProps } from '../../chart/PictureLines';

/** Half the width of the strikes, and of them with the columns for legs beside them. */
const [STRIKES, BESIDE] = [29, 103];

/** Last price and deviations beside the strikes, where no number stands. */
export function RowLines({
  axis,
  width,
  strike,
  level,
  mark,
}: LevelProps & { strike: 'left' | 'middle' | 'right' }) {
  const middle = { left: BESIDE, middle: width / 2, right: width - BESIDE }[strike];
  const sides: [number, number][] = [
    [middle - BESIDE + 2, middle - STRIKES],
    [middle + STRIKES, middle + BESIDE - 2],
  ];
  const levels = [
    ...bandsOf(axis, mark)
      .filter(inside(axis))
      .map((b) => ({ name: b.name, y: b.y, stroke: 'var(--slate)', width: 1.5, dash: '2 4' })),
    { name: 'price', y: axis.y(level), stroke: 'var(--ink)', width: 2, dash: undefined },
  ];
  return (
    <svg aria-hidden width={width} height={axis.height} className={layer}>
      {levels.map((l) =>
        sides.map(([from, to]) => (
          <line
            key={`${l.name} ${from}`}
            x1={from}
            x2={to}
            y1={l.y}
            y2={l.y}
            stroke={l.stroke}
            strokeWidth={l.width}
            strokeDasharray={l.dash}
          />
        )),
      )}
    </svg>
  );
}

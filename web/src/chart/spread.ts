/** A named height in a picture, in pixels from its top; `ours` is of the draft, the others of the market. */
export type Level = { name: string; y: number; ours: boolean };

/** Height of a name, in pixels. */
export const LINE = 13;

/** Places names at least a line apart and clear of the price, moving those that crowd away from it, and back where they would leave the picture. */
export function spread(levels: Level[], price: number, height: number): (Level & { at: number })[] {
  const out: (Level & { at: number })[] = [];
  const side = (group: Level[], direction: 1 | -1) => {
    let free = price + direction * (LINE + 4);
    const placed = group.map((l) => {
      const wanted = Math.min(height - 6, Math.max(7, l.y));
      const at = direction > 0 ? Math.max(wanted, free) : Math.min(wanted, free);
      free = at + direction * LINE;
      return { ...l, at };
    });
    let edge = direction > 0 ? height - 6 : 7;
    for (const l of placed.reverse()) {
      l.at = direction > 0 ? Math.min(l.at, edge) : Math.max(l.at, edge);
      edge = l.at - direction * LINE;
      out.push(l);
    }
  };
  side(
    levels.filter((l) => l.y >= price).sort((a, b) => a.y - b.y),
    1,
  );
  side(
    levels.filter((l) => l.y < price).sort((a, b) => b.y - a.y),
    -1,
  );
  return out;
}

/** Lines of one height through a grid of values: marching squares, straight inside each square. */
export type Segment = [number, number, number, number];

/** `values[i][j]` stands at (xs[i], ys[j]); the segments are in those units. A square whose corners alternate is parted by its middle. */
export function contour(xs: number[], ys: number[], values: number[][], level: number): Segment[] {
  const out: Segment[] = [];
  const along = (a: number, b: number, va: number, vb: number) =>
    a + ((level - va) / (vb - va)) * (b - a);
  for (let i = 0; i + 1 < xs.length; i += 1) {
    for (let j = 0; j + 1 < ys.length; j += 1) {
      const [x0, x1, y0, y1] = [xs[i] ?? 0, xs[i + 1] ?? 0, ys[j] ?? 0, ys[j + 1] ?? 0];
      const [v00, v10, v11, v01] = [
        values[i]?.[j] ?? 0,
        values[i + 1]?.[j] ?? 0,
        values[i + 1]?.[j + 1] ?? 0,
        values[i]?.[j + 1] ?? 0,
      ];
      const [a, b, c, d] = [v00 >= level, v10 >= level, v11 >= level, v01 >= level];
      // Where each side is crossed: bottom, right, top, left.
      const bottom: [number, number] | undefined =
        a !== b ? [along(x0, x1, v00, v10), y0] : undefined;
      const right: [number, number] | undefined =
        b !== c ? [x1, along(y0, y1, v10, v11)] : undefined;
      const top: [number, number] | undefined = c !== d ? [along(x0, x1, v01, v11), y1] : undefined;
      const left: [number, number] | undefined =
        d !== a ? [x0, along(y0, y1, v00, v01)] : undefined;
      const join = (p?: [number, number], q?: [number, number]) => {
        if (p && q) out.push([...p, ...q]);
      };
      if (bottom && right && top && left) {
        const high = (v00 + v10 + v11 + v01) / 4 >= level;
        if (high === a) {
          join(bottom, right);
          join(top, left);
        } else {
          join(bottom, left);
          join(top, right);
        }
      } else {
        const found = [bottom, right, top, left].filter((p) => p !== undefined);
        join(found[0], found[1]);
      }
    }
  }
  return out;
}

/** Stretches of one column of values that lie below zero, in the units of `ys`. */
export function below(ys: number[], values: number[]): [number, number][] {
  const out: [number, number][] = [];
  for (let j = 0; j + 1 < ys.length; j += 1) {
    const [y0, y1, v0, v1] = [ys[j] ?? 0, ys[j + 1] ?? 0, values[j] ?? 0, values[j + 1] ?? 0];
    if (v0 >= 0 && v1 >= 0) continue;
    const zero = y0 + ((0 - v0) / (v1 - v0)) * (y1 - y0);
    const [from, to] = [v0 < 0 ? y0 : zero, v1 < 0 ? y1 : zero];
    const last = out.at(-1);
    if (last && Math.abs(last[1] - from) < 1e-9) last[1] = to;
    else out.push([from, to]);
  }
  return out;
}

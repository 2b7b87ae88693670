/** A course on the screen. */
export interface Drawn {
  at: (m: number, aside?: number) => [number, number];
  /** To which side of the line "outside" is: 1 left, -1 right of the driving direction. */
  outside: number;
  scale: number;
  nearest: (x: number, y: number) => number;
}

interface Points {
  x: number[];
  y: number[];
  step_m: number;
  closed: boolean;
}

/** Lays the points of a course into a field of the screen, north up. */
export function drawn(course: Points, width: number, height: number, edge: number): Drawn {
  const { x: xs, y: ys, step_m } = course;
  const count = xs.length;
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const scale = Math.min((width - 2 * edge) / Math.max(right - left, 1), (height - 2 * edge) / Math.max(high - low, 1));
  const shiftX = (width - (right - left) * scale) / 2;
  const shiftY = edge + (height - 2 * edge - (high - low) * scale) / 2;
  const index = (i: number) => (course.closed ? (i + count) % count : Math.min(Math.max(i, 0), count - 1));
  let area = 0;
  for (let i = 0; i < count; i++)
    area += (xs[i] ?? 0) * (ys[index(i + 1)] ?? 0) - (xs[index(i + 1)] ?? 0) * (ys[i] ?? 0);
  const point = (i: number): [number, number] => [
    shiftX + ((xs[i] ?? 0) - left) * scale,
    shiftY + (high - (ys[i] ?? 0)) * scale,
  ];
  const at = (m: number, aside = 0): [number, number] => {
    const place = m / step_m;
    const i = Math.floor(place);
    const [a, b] = [point(index(i)), point(index(i + 1))];
    const part = place - i;
    const [before, after] = [point(index(i - 2)), point(index(i + 3))];
    const length = Math.hypot(after[0] - before[0], after[1] - before[1]) || 1;
    const [dx, dy] = [(after[0] - before[0]) / length, (after[1] - before[1]) / length];
    // On the screen y grows downwards: left of the direction is (dy, -dx).
    return [a[0] + (b[0] - a[0]) * part + dy * aside, a[1] + (b[1] - a[1]) * part - dx * aside];
  };
  const nearest = (px: number, py: number) => {
    let best = 0;
    let least = Number.POSITIVE_INFINITY;
    for (let i = 0; i < count; i++) {
      const [x, y] = point(i);
      const away = (x - px) ** 2 + (y - py) ** 2;
      if (away < least) [least, best] = [away, i];
    }
    return best * step_m;
  };
  return { at, outside: area > 0 ? -1 : 1, scale, nearest };
}

export const line = (points: [number, number][]) => points.map(([x, y]) => `${x.toFixed(1)} ${y.toFixed(1)}`).join("L");

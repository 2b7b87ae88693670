/** A course from above: its line without a map, north up, start marked across it. */
export function Outline({ points, size = 44 }: { points: number[][]; size?: number }) {
  if (points.length < 2) return <span className="inline-block" style={{ width: size, height: size }} />;
  const xs = points.map(([x = 0]) => x);
  const ys = points.map(([, y = 0]) => y);
  const [left, right, low, high] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
  const span = Math.max(right - left, high - low, 1);
  const at = ([x = 0, y = 0]: number[]) =>
    `${(4 + ((x - left + (span - (right - left)) / 2) / span) * (size - 8)).toFixed(1)},${(
      4 + ((high - y + (span - (high - low)) / 2) / span) * (size - 8)
    ).toFixed(1)}`;
  const [first = []] = points;
  const [cx, cy] = at(first).split(",");
  return (
    <svg width={size} height={size} aria-hidden="true">
      <polyline
        points={points.map(at).join(" ")}
        fill="none"
        stroke="currentColor"
        strokeWidth="1.8"
        strokeLinejoin="round"
      />
      <circle cx={cx} cy={cy} r="2.6" fill="var(--act)" />
    </svg>
  );
}

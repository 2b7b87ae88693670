import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { type KeyboardEvent, type PointerEvent, useMemo, useState } from "react";
import { Link, useNavigate, useParams } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { drawn, line } from "@/charts/course";
import { Button, Field, inputLook, Loading, Trouble, Warn } from "@/ui/basics";
import { moment, number, quantity } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";

type Detail = Schemas["CourseDetail"];

const WIDTH = 640;
const HEIGHT = 520;
const EDGE = 44;
const FOOT = 30;
const nameOf = (detail: Detail, i: number, count: number) =>
  i === 0 ? "start" : !detail.closed && i === count - 1 ? "finish" : `S${i + 1}`;

/** The course from above, north up; its lines are dragged along it, or moved by the arrow keys. */
function Picture({
  detail,
  places,
  locked,
  onMove,
}: {
  detail: Detail;
  places: number[];
  locked: boolean;
  onMove: (i: number, m: number) => void;
}) {
  const view = useMemo(() => drawn(detail, WIDTH, HEIGHT - FOOT, EDGE), [detail]);
  const [held, setHeld] = useState<number | null>(null);
  const length = detail.x.length * detail.step_m;
  const points = detail.x.map((_, i) => view.at(i * detail.step_m));
  const inside = (m: number) => (detail.closed ? ((m % length) + length) % length : Math.min(Math.max(m, 0), length));
  const drag = (e: PointerEvent<SVGSVGElement>) => {
    if (held === null) return;
    const box = e.currentTarget.getBoundingClientRect();
    const scale = WIDTH / box.width;
    onMove(held, view.nearest((e.clientX - box.left) * scale, (e.clientY - box.top) * scale));
  };
  const keys = (i: number, e: KeyboardEvent) => {
    const by =
      e.key === "ArrowRight" || e.key === "ArrowUp" ? 1 : e.key === "ArrowLeft" || e.key === "ArrowDown" ? -1 : 0;
    if (by === 0) return;
    e.preventDefault();
    onMove(i, inside((places[i] ?? 0) + by * (e.shiftKey ? 10 : 1)));
  };
  const bar = [20, 50, 100, 200, 500, 1000, 2000, 5000].find((m) => m * view.scale >= 50) ?? 10_000;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="mx-auto block max-h-[calc(100vh-160px)] w-full touch-none select-none"
      onPointerMove={drag}
      onPointerUp={() => setHeld(null)}
      onPointerCancel={() => setHeld(null)}
    >
      <title>The course {detail.name}</title>
      <path
        d={`M${line(points)}${detail.closed ? "Z" : ""}`}
        fill="none"
        className="stroke-hair"
        strokeWidth={16}
        strokeLinejoin="round"
      />
      <path
        d={`M${line(points)}${detail.closed ? "Z" : ""}`}
        fill="none"
        className="stroke-ink"
        strokeWidth={1.5}
        strokeLinejoin="round"
      />
      {detail.corners.map((corner) => {
        const [x, y] = view.at(inside(corner.apex_m), -view.outside * 22);
        return (
          <text key={corner.number} x={x} y={y + 5} textAnchor="middle" className="fill-soft font-narrow text-[14px]">
            {corner.number}
          </text>
        );
      })}
      {/* Which way it is driven. */}
      <path
        d={`M${line([view.at(inside((places[0] ?? 0) + 34), 6), view.at(inside((places[0] ?? 0) + 44)), view.at(inside((places[0] ?? 0) + 34), -6)])}`}
        fill="none"
        className="stroke-act"
        strokeWidth={2.5}
      />
      {places.map((m, i) => {
        const name = nameOf(detail, i, places.length);
        const [ax, ay] = view.at(inside(m), 14);
        const [bx, by] = view.at(inside(m), -14);
        const [nx, ny] = view.at(inside(m), view.outside * 38);
        const [dx, dy] = view.at(inside(m), view.outside * 14);
        return (
          <g
            // biome-ignore lint/suspicious/noArrayIndexKey: lines keep their order
            key={i}
            role="slider"
            tabIndex={locked ? -1 : 0}
            aria-label={`Place of ${name}`}
            aria-valuemin={0}
            aria-valuemax={Math.round(length)}
            aria-valuenow={Math.round(inside(m))}
            aria-valuetext={quantity(inside(m), "m")}
            aria-disabled={locked}
            className={locked ? "" : "cursor-grab outline-offset-2"}
            onKeyDown={(e) => !locked && keys(i, e)}
            onPointerDown={(e) => {
              if (locked) return;
              e.currentTarget.ownerSVGElement?.setPointerCapture(e.pointerId);
              setHeld(i);
            }}
          >
            <path
              d={`M${line([
                [ax, ay],
                [bx, by],
              ])}`}
              className="stroke-ink"
              strokeWidth={i === 0 ? 4 : 2}
            />
            <circle
              cx={dx}
              cy={dy}
              r={11}
              className={held === i ? "fill-act" : "fill-panel"}
              stroke="var(--act)"
              strokeWidth={2}
            />
            <text x={nx} y={ny + 5} textAnchor="middle" className="fill-ink text-[13px]">
              {name}
            </text>
          </g>
        );
      })}
      <path
        d={`M12 ${HEIGHT - 12}h${bar * view.scale}M12 ${HEIGHT - 17}v10M${12 + bar * view.scale} ${HEIGHT - 17}v10`}
        fill="none"
        className="stroke-soft"
      />
      <text x={20 + bar * view.scale} y={HEIGHT - 7} className="fill-soft text-[13px]">
        {quantity(bar, "m")}
      </text>
      <path d={`M${WIDTH - 18} ${HEIGHT - 8}v-24m-5 8l5-8 5 8`} fill="none" className="stroke-soft" />
      <text x={WIDTH - 18} y={HEIGHT - 37} textAnchor="middle" className="fill-soft text-[13px]">
        N
      </text>
    </svg>
  );
}

function Editor({ detail }: { detail: Detail }) {
  const queries = useQueryClient();
  const navigate = useNavigate();
  const { say, fail } = useNotices();
  const [places, setPlaces] = useState(() => detail.lines.map((l) => l.at_m));
  const [texts, setTexts] = useState<Record<number, string>>({});
  const [name, setName] = useState(detail.name);
  const [half, setHalf] = useState(String(detail.lines[0]?.half_width_m ?? 15));
  const locked = !detail.current;
  const length = detail.x.length * detail.step_m;
  const before = detail.lines.map((l) => l.at_m);
  const changed =
    name.trim() !== detail.name ||
    Number(half) !== detail.lines[0]?.half_width_m ||
    places.length !== before.length ||
    places.some((m, i) => Math.abs(m - (before[i] ?? 0)) > 0.4);
  const move = (i: number, m: number) => {
    setPlaces((all) => all.map((p, k) => (k === i ? Math.round(m) : p)));
    setTexts({});
  };
  const typed = (i: number, text: string) => {
    setTexts((all) => ({ ...all, [i]: text }));
    const value = Number(text);
    if (text.trim() !== "" && Number.isFinite(value)) setPlaces((all) => all.map((p, k) => (k === i ? value : p)));
  };
  const save = useMutation({
    mutationFn: () =>
      ask(
        api.PUT("/api/courses/{course_id}", {
          params: { path: { course_id: detail.id } },
          body: { name: name.trim(), at_m: places, half_width_m: Number(half) },
        }),
      ),
    onSuccess: (made) => {
      queries.invalidateQueries({ queryKey: ["courses"] });
      queries.setQueryData(["courses", made.id], made);
      say(`${made.name} is kept as a new version. Sessions stay as they were cut, until you cut one again.`);
      navigate(`/courses/${made.id}`, { replace: true });
    },
    onError: fail,
  });
  const last = detail.closed ? places.length : places.length - 1;
  const add = () => {
    // In the middle of the longest part between two lines.
    const ends = detail.closed ? [...places, (places[0] ?? 0) + length] : places;
    let at = 0;
    for (let i = 0; i + 1 < ends.length; i++)
      if ((ends[i + 1] ?? 0) - (ends[i] ?? 0) > (ends[at + 1] ?? 0) - (ends[at] ?? 0)) at = i;
    const middle = Math.round(((ends[at] ?? 0) + (ends[at + 1] ?? 0)) / 2);
    setPlaces([...places.slice(0, at + 1), middle, ...places.slice(at + 1)]);
    setTexts({});
  };
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_340px] gap-4 max-[900px]:grid-cols-1">
      <section aria-label="Course from above" className="rounded-lg border border-line bg-panel p-2">
        <Picture detail={detail} places={places} locked={locked} onMove={move} />
      </section>
      <div className="grid content-start gap-4">
        {locked && <Warn>This is a version of before. It is shown as it was; sessions can still be cut by it.</Warn>}
        <section aria-label="Lines" className="rounded-lg border border-line bg-panel px-3 py-2.5">
          <Field label="Name">
            <input
              className={inputLook}
              value={name}
              maxLength={80}
              readOnly={locked}
              onChange={(e) => setName(e.target.value)}
            />
          </Field>
          <table className="mt-3 w-full text-[13.5px]">
            <thead className="text-left font-narrow text-[12.5px] text-soft">
              <tr>
                <th className="font-medium">Line</th>
                <th className="text-right font-medium">at, m</th>
                <th className="text-right font-medium">from before, m</th>
                <th>
                  <span className="sr-only">What to do</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {places.map((m, i) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: lines keep their order
                <tr key={i} className="border-hair border-t">
                  <td className="py-1">{nameOf(detail, i, places.length)}</td>
                  <td className="text-right">
                    <input
                      aria-label={`${nameOf(detail, i, places.length)}, m`}
                      className={`${inputLook} max-w-20 text-right`}
                      inputMode="decimal"
                      readOnly={locked}
                      value={texts[i] ?? String(Math.round(m * 10) / 10)}
                      maxLength={8}
                      onChange={(e) => typed(i, e.target.value)}
                    />
                  </td>
                  <td className="text-right text-soft tabular-nums">
                    {i > 0 ? number(m - (places[i - 1] ?? 0), 0) : ""}
                  </td>
                  <td className="text-right">
                    {i > 0 && i < last && !locked && (
                      <Button
                        look="quiet"
                        size="small"
                        aria-label={`remove ${nameOf(detail, i, places.length)}`}
                        onClick={() => {
                          setPlaces(places.filter((_, k) => k !== i));
                          setTexts({});
                        }}
                      >
                        remove
                      </Button>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          <div className="mt-2 flex flex-wrap items-end gap-3">
            <Field label="Reach to each side, m">
              <input
                className={`${inputLook} max-w-24`}
                inputMode="decimal"
                readOnly={locked}
                value={half}
                maxLength={5}
                onChange={(e) => setHalf(e.target.value)}
              />
            </Field>
            {!locked && (
              <Button size="small" className="mb-1" onClick={add}>
                Add a line between
              </Button>
            )}
          </div>
          {!locked && (
            <div className="mt-3 flex flex-wrap items-center gap-3">
              <Button main look="primary" disabled={!changed || save.isPending} onClick={() => save.mutate()}>
                Keep as a new version
              </Button>
              {changed && (
                <Button
                  look="quiet"
                  size="small"
                  onClick={() => {
                    setPlaces(before);
                    setTexts({});
                    setName(detail.name);
                    setHalf(String(detail.lines[0]?.half_width_m ?? 15));
                  }}
                >
                  as it was
                </Button>
              )}
            </div>
          )}
        </section>
        <section aria-label="Versions" className="rounded-lg border border-line bg-panel px-3 py-2.5 text-[13.5px]">
          <h2 className="mb-1">Versions</h2>
          {detail.versions.map((v) => (
            <p key={v.id} className="flex justify-between gap-3 border-hair border-t py-1">
              {v.id === detail.id ? (
                <b className="font-medium">{moment(v.made_at)}</b>
              ) : (
                <Link className="min-h-6 text-act hover:underline" to={`/courses/${v.id}`}>
                  {moment(v.made_at)}
                </Link>
              )}
              <span className="text-soft">{[v.by, v.current ? "in use" : ""].filter(Boolean).join(", ")}</span>
            </p>
          ))}
          {!locked && (
            <p className="mt-2 flex gap-4">
              <a className="min-h-6 text-act hover:underline" href={`/api/courses/${detail.id}/gpx`}>
                GPX
              </a>
              <a className="min-h-6 text-act hover:underline" href={`/api/courses/${detail.id}/plain`} download>
                With its lines (JSON)
              </a>
            </p>
          )}
        </section>
      </div>
    </div>
  );
}

/** One course of the register: seen from above, its lines moved, its versions. */
export default function CoursePage() {
  const { id } = useParams();
  const course = useQuery({
    queryKey: ["courses", Number(id)],
    queryFn: () => ask(api.GET("/api/courses/{course_id}", { params: { path: { course_id: Number(id) } } })),
  });
  useTitle("Course", course.data?.name);
  if (course.error && !course.data)
    return <Trouble view="Course" error={course.error} again={() => course.refetch()} />;
  if (!course.data) return <Loading view="Course" what="the course" />;
  const { data: detail } = course;
  return (
    <main className="h-full overflow-auto px-5 py-[18px]">
      <div className="mb-3 flex flex-wrap items-baseline gap-x-4">
        <h1>{detail.name}</h1>
        <span className="text-soft">
          {detail.closed ? "loop" : "open"}, {quantity(detail.length_m, "m")}, {detail.corners.length} corners
        </span>
        <Link to="/vehicles" className="ml-auto min-h-6 text-act hover:underline">
          Vehicles and courses
        </Link>
      </div>
      {detail.x.length === 0 ? (
        <Warn>This course has lines only and no points: it cannot be drawn, and is not found by position.</Warn>
      ) : (
        <Editor key={detail.id} detail={detail} />
      )}
    </main>
  );
}

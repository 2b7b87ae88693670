import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { Outline } from "@/charts/Outline";
import { Button, Empty, Field, inputLook, Loading, Trouble } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { quantity } from "@/ui/format";
import { useNotices } from "@/ui/notices";
import { useTitle } from "@/ui/title";
import { DerivedChannels } from "./DerivedChannels";
import { FurtherSensors, sensorsOf, typedSensors } from "./FurtherSensors";
import { Months } from "./Months";
import { OfItsSessions } from "./OfItsSessions";

const PROFILES = ["kart", "geared kart", "car", "motorcycle", "hauler"] as const;
type Profile = (typeof PROFILES)[number];

function VehicleDialog({ vehicle, onClose }: { vehicle: Schemas["Vehicle"] | null; onClose: () => void }) {
  const [facts, setFacts] = useState({
    name: vehicle?.name ?? "",
    number: vehicle?.number ?? "",
    profile: (vehicle?.profile ?? "kart") as Profile,
    team: vehicle?.team ?? "",
    notes: vehicle?.notes ?? "",
    derived: vehicle?.derived ?? [],
    limit_set_id: vehicle?.limit_set_id ?? null,
    check_days: vehicle?.check_days ?? {},
  });
  const [typed, setTyped] = useState(typedSensors(vehicle?.sensors ?? []));
  const sensors = sensorsOf(typed);
  const queries = useQueryClient();
  const { fail } = useNotices();
  const keep = useMutation({
    mutationFn: () => {
      if (typeof sensors === "string") throw new Error(sensors);
      const body = { ...facts, sensors };
      return vehicle
        ? ask(api.PATCH("/api/vehicles/{vehicle_id}", { params: { path: { vehicle_id: vehicle.id } }, body }))
        : ask(api.POST("/api/vehicles", { body }));
    },
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ["vehicles"] });
      onClose();
    },
    onError: fail,
  });
  const text = (key: "name" | "number" | "team" | "notes", label: string, most: number) => (
    <Field label={label}>
      <input
        className={inputLook}
        value={facts[key]}
        maxLength={most}
        onChange={(e) => setFacts({ ...facts, [key]: e.target.value })}
      />
    </Field>
  );
  return (
    <Dialog title={vehicle ? vehicle.name : "Add a vehicle"} open onClose={onClose} wide>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          keep.mutate();
        }}
      >
        <div className="grid grid-cols-[minmax(0,1fr)_120px] gap-3">
          {text("name", "Name, such as kart K-2", 60)}
          {text("number", "Number", 8)}
        </div>
        <div className="grid grid-cols-2 gap-3">
          <Field label="Profile">
            <select
              className={inputLook}
              value={facts.profile}
              onChange={(e) => setFacts({ ...facts, profile: e.target.value as Profile })}
            >
              {PROFILES.map((p) => (
                <option key={p}>{p}</option>
              ))}
            </select>
          </Field>
          {text("team", "Team", 120)}
        </div>
        {text("notes", "Notes", 400)}
        <FurtherSensors rows={typed} onChange={setTyped} />
        <OfItsSessions
          further={typeof sensors === "string" ? [] : sensors}
          limitSet={facts.limit_set_id}
          days={facts.check_days}
          onLimitSet={(limit_set_id) => setFacts({ ...facts, limit_set_id })}
          onDays={(check_days) => setFacts({ ...facts, check_days })}
        />
        <DerivedChannels
          rows={facts.derived}
          sensors={typeof sensors === "string" ? [] : sensors}
          onChange={(derived) => setFacts({ ...facts, derived })}
        />
        <div>
          <Button look="primary" type="submit" disabled={!facts.name.trim() || keep.isPending}>
            {vehicle ? "Keep" : `Add ${facts.name.trim()}`}
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

const LINE = { lat: "", lon: "", bearing: "" };

function plainOf(start: typeof LINE, finish: typeof LINE, open: boolean): string {
  const line = ({ lat, lon, bearing }: typeof LINE) => ({
    lat: Number(lat.replace(",", ".")),
    lon: Number(lon.replace(",", ".")),
    bearing_deg: Number(bearing.replace(",", ".")),
  });
  return JSON.stringify({ start: line(start), finish: open ? line(finish) : null, sectors: [], points: [] });
}

function LineFields({
  what,
  line,
  onChange,
}: {
  what: string;
  line: typeof LINE;
  onChange: (line: typeof LINE) => void;
}) {
  return (
    <fieldset className="grid grid-cols-3 gap-2">
      <legend className="mb-1 text-[13px] text-soft">
        {what} line: its middle, and the driving direction from north
      </legend>
      {(
        [
          ["lat", "latitude °"],
          ["lon", "longitude °"],
          ["bearing", "direction °"],
        ] as const
      ).map(([key, words]) => (
        <input
          key={key}
          className={inputLook}
          aria-label={`${what} ${words}`}
          placeholder={words}
          inputMode="decimal"
          value={line[key]}
          onChange={(e) => onChange({ ...line, [key]: e.target.value })}
        />
      ))}
    </fieldset>
  );
}

function CourseDialog({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState("");
  const [file, setFile] = useState<File | null>(null);
  const [start, setStart] = useState(LINE);
  const [finish, setFinish] = useState(LINE);
  const [open, setOpen] = useState(false);
  const chosen = useRef<HTMLInputElement>(null);
  const queries = useQueryClient();
  const { fail } = useNotices();
  const add = useMutation({
    mutationFn: async () =>
      ask(
        api.POST("/api/courses", {
          body: { name: name.trim(), content: file ? await file.text() : plainOf(start, finish, open) },
        }),
      ),
    onSuccess: () => {
      queries.invalidateQueries({ queryKey: ["courses"] });
      onClose();
    },
    onError: fail,
  });
  return (
    <Dialog title="Add a course" open onClose={onClose}>
      <form
        className="grid gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          add.mutate();
        }}
      >
        <Field label="Name; without one, the name in the file">
          <input className={inputLook} value={name} maxLength={80} onChange={(e) => setName(e.target.value)} />
        </Field>
        <div className="flex items-center gap-3">
          <input
            ref={chosen}
            type="file"
            className="sr-only"
            aria-label="File of the course"
            accept=".gpx,.json"
            onChange={(e) => setFile(e.target.files?.[0] ?? null)}
          />
          <Button onClick={() => chosen.current?.click()}>{file ? "another file" : "choose a file"}</Button>
          <span className="text-soft">
            {file ? file.name : "GPX (a driven lap or a route) or a course kept as JSON"}
          </span>
        </div>
        {!file && (
          <>
            <p className="text-[13px] text-soft">
              Or type its lines. Without points it cannot be found by position, only chosen.
            </p>
            <LineFields what="Start" line={start} onChange={setStart} />
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={open} onChange={(e) => setOpen(e.target.checked)} />
              it ends somewhere else
            </label>
            {open && <LineFields what="Finish" line={finish} onChange={setFinish} />}
          </>
        )}
        <div>
          <Button
            look="primary"
            type="submit"
            disabled={add.isPending || !(file || (name.trim() && start.lat && start.lon && start.bearing))}
          >
            Add the course
          </Button>
        </div>
      </form>
    </Dialog>
  );
}

/** The registers of the yard: vehicles and courses. */
export default function Yard() {
  useTitle("Vehicles and courses");
  const vehicles = useQuery({ queryKey: ["vehicles"], queryFn: () => ask(api.GET("/api/vehicles")) });
  const courses = useQuery({ queryKey: ["courses"], queryFn: () => ask(api.GET("/api/courses")) });
  const [vehicle, setVehicle] = useState<Schemas["Vehicle"] | null | undefined>();
  const [adding, setAdding] = useState(false);
  const queries = useQueryClient();
  const { say, fail } = useNotices();
  const gone = (what: string, key: string, back: () => Promise<unknown>) => {
    const again = () => queries.invalidateQueries({ queryKey: [key] });
    again();
    say(`${what} is off the register. Recorders and sessions keep it.`, () => void back().then(again, fail));
  };
  const noVehicle = useMutation({
    mutationFn: (row: Schemas["Vehicle"]) =>
      ask(api.DELETE("/api/vehicles/{vehicle_id}", { params: { path: { vehicle_id: row.id } } })),
    onSuccess: (_, row) =>
      gone(row.name, "vehicles", () =>
        ask(api.POST("/api/vehicles/{vehicle_id}/bring-back", { params: { path: { vehicle_id: row.id } } })),
      ),
    onError: fail,
  });
  const noCourse = useMutation({
    mutationFn: (row: Schemas["Course"]) =>
      ask(api.DELETE("/api/courses/{course_id}", { params: { path: { course_id: row.id } } })),
    onSuccess: (_, row) =>
      gone(row.name, "courses", () =>
        ask(api.POST("/api/courses/{course_id}/bring-back", { params: { path: { course_id: row.id } } })),
      ),
    onError: fail,
  });
  if (vehicles.isError)
    return <Trouble view="Vehicles and courses" error={vehicles.error} again={() => vehicles.refetch()} />;
  if (courses.isError)
    return <Trouble view="Vehicles and courses" error={courses.error} again={() => courses.refetch()} />;
  if (!vehicles.data || !courses.data) return <Loading view="Vehicles and courses" what="the yard" />;
  return (
    <main className="grid h-full grid-cols-2 gap-6 overflow-auto px-5 py-[18px]">
      <section aria-label="Vehicles">
        <div className="mb-2 flex items-center gap-3">
          <h1>Vehicles</h1>
          <span className="text-soft">{vehicles.data.length}</span>
          <Button className="ml-auto" onClick={() => setVehicle(null)}>
            Add a vehicle
          </Button>
        </div>
        {vehicles.data.length === 0 && (
          <Empty title="No vehicle yet">A name is enough; loggers are then set up for it by a choice.</Empty>
        )}
        <ul>
          {vehicles.data.map((row) => (
            <li key={row.id} className="border-line border-t">
              <div className="flex items-baseline gap-3 py-1.5">
                <button
                  type="button"
                  className="min-h-7 truncate text-left font-medium hover:underline"
                  onClick={() => setVehicle(row)}
                >
                  {row.name}
                </button>
                <span className="min-w-0 flex-1 truncate text-soft">
                  {[row.number && `number ${row.number}`, row.profile, row.team, row.notes].filter(Boolean).join(", ")}
                </span>
                <Button
                  look="quiet"
                  size="small"
                  aria-label={`take off ${row.name}`}
                  onClick={() => noVehicle.mutate(row)}
                >
                  take off
                </Button>
              </div>
              <Months vehicle={row.id} />
            </li>
          ))}
        </ul>
      </section>
      <section aria-label="Courses">
        <div className="mb-2 flex items-center gap-3">
          <h1>Courses</h1>
          <span className="text-soft">{courses.data.length}</span>
          <Button className="ml-auto" onClick={() => setAdding(true)}>
            Add a course
          </Button>
        </div>
        {courses.data.length === 0 && (
          <Empty title="No course yet">Take one from a GPX file of a driven lap, or type its start line.</Empty>
        )}
        <ul>
          {courses.data.map((row) => (
            <li key={row.id} className="flex items-center gap-3 border-line border-t py-1.5">
              <Outline points={row.outline} />
              <span className="min-w-0 flex-1">
                {row.length_m > 0 ? (
                  <Link to={`/courses/${row.id}`} className="block min-h-6 truncate font-medium hover:underline">
                    {row.name}
                  </Link>
                ) : (
                  <b className="block truncate font-medium">{row.name}</b>
                )}
                <span className="text-[12.5px] text-soft">
                  {row.length_m ? `${quantity(row.length_m, "m")}, ` : "no points, "}
                  {row.closed ? "loop" : "open"}, {row.sectors} sector{row.sectors > 1 ? "s" : ""}
                </span>
              </span>
              {row.length_m > 0 && (
                <a className="text-act hover:underline" href={`/api/courses/${row.id}/gpx`}>
                  GPX
                </a>
              )}
              <Button
                look="quiet"
                size="small"
                aria-label={`take off ${row.name}`}
                onClick={() => noCourse.mutate(row)}
              >
                take off
              </Button>
            </li>
          ))}
        </ul>
      </section>
      {vehicle !== undefined && <VehicleDialog vehicle={vehicle} onClose={() => setVehicle(undefined)} />}
      {adding && <CourseDialog onClose={() => setAdding(false)} />}
    </main>
  );
}

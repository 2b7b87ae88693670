import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import { api, ask } from "@/api/client";
import type { SetupEditorProps } from "@/setup/editor";
import { FieldInput } from "@/setup/FieldInput";
import { OnRecorder } from "@/setup/OnRecorder";

/** Who drives what in which session: stored on the logger, and filled in when its recordings come back. */
export default function MachineEditor({ settings, fields, put, putAll }: SetupEditorProps) {
  const vehicles = useQuery({ queryKey: ["vehicles"], queryFn: () => ask(api.GET("/api/vehicles")) });
  const known = vehicles.data ?? [];
  const name = String(settings.machine ?? "");
  const choose = (chosen: string) => {
    const vehicle = known.find((v) => v.name === chosen);
    if (vehicle)
      putAll({
        ...{ machine: vehicle.name, number: vehicle.number, vehicle: vehicle.profile, team: vehicle.team },
        further: vehicle.sensors.map((sensor) => ({ ...sensor, on: true, off_because: "" })),
      });
    else put("machine", chosen);
  };
  return (
    <div className="grid grid-cols-[repeat(auto-fit,minmax(156px,1fr))] gap-x-2 gap-y-1 border-hair border-t px-4 py-2.5">
      {fields.map((field) => (
        <div key={field.path} className={`min-w-0 rounded px-1.5 py-1 ${field.differs ? "bg-warn" : ""}`}>
          <span className="block text-[12.5px] text-soft">{field.label}</span>
          {field.path === "machine" && (vehicles.isPending || known.length > 0) ? (
            // While it is not known which there are it is no field to type in: that would be taken away from under the fingers.
            <select
              aria-label={field.label}
              disabled={vehicles.isPending}
              className="min-h-8 w-full rounded-md border border-line bg-panel px-1.5"
              value={name}
              onChange={(e) => choose(e.target.value)}
            >
              <option value="">not said</option>
              {name && !known.some((v) => v.name === name) && <option value={name}>{name}</option>}
              {known.map((v) => (
                <option key={v.id} value={v.name}>
                  {v.number ? `${v.name} (${v.number})` : v.name}
                </option>
              ))}
            </select>
          ) : (
            <span className="flex min-h-8 items-center rounded-md border border-line bg-panel px-1.5">
              <FieldInput field={field} onChange={(value) => put(field.path, value)} />
            </span>
          )}
          <span className="block min-h-5 font-medium font-narrow text-[12.5px] text-action">
            {field.differs && <OnRecorder field={field} onTake={(value) => put(field.path, value)} />}
          </span>
        </div>
      ))}
      <p className="col-span-full text-[12.5px] text-soft">
        These come back with the recordings.{" "}
        <Link to="/vehicles" className="text-act underline">
          Vehicles and courses
        </Link>
      </p>
    </div>
  );
}

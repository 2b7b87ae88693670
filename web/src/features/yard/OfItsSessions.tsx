import { useQuery } from "@tanstack/react-query";
import { api, ask, type Schemas } from "@/api/client";
import { useKindWords } from "@/kinds/kinds";
import { Field, inputLook } from "@/ui/basics";
import { channelKey } from "./FurtherSensors";

const MOST_DAYS = 3650;
/** What a sensor's calibration holds for where nobody said otherwise. */
const QUARTER_DAYS = 92;

/** What the sessions of a vehicle are held against, and how long its sensors are taken to measure right. */
export function OfItsSessions({
  limitSet,
  days,
  further,
  onLimitSet,
  onDays,
}: {
  limitSet: number | null;
  days: Schemas["Vehicle"]["check_days"];
  further: Schemas["FurtherSensor"][];
  onLimitSet: (id: number | null) => void;
  onDays: (days: Schemas["Vehicle"]["check_days"]) => void;
}) {
  const kind = useKindWords().data?.find((each) => each.tags.some((tag) => tag.setting === "machine"));
  const sets = useQuery({ queryKey: ["limit-sets"], queryFn: () => ask(api.GET("/api/limit-sets")) });
  const own = (sets.data ?? []).filter((set) => set.kind === kind?.key);
  const sensors = [
    ...(kind?.sensors ?? []),
    ...further.map((each) => ({ key: channelKey(each.name), label: each.name, every_days: QUARTER_DAYS })),
  ];
  // A set in an older version is what was chosen; what counts is its newest.
  const chosen = own.find((set) => set.id === limitSet);
  const newest = own.filter((set, i) => own.findLastIndex((other) => other.key === set.key) === i);
  return (
    <>
      <Field label="Limits of its sessions" hint="where nobody chooses others for a session">
        <select
          className={inputLook}
          value={newest.find((set) => set.key === chosen?.key)?.id ?? ""}
          onChange={(e) => onLimitSet(e.target.value ? Number(e.target.value) : null)}
        >
          <option value="">as usual</option>
          {newest.map((set) => (
            <option key={set.id} value={set.id}>
              {set.name}, {set.issuer}
            </option>
          ))}
        </select>
      </Field>
      {kind && sensors.length > 0 && (
        <fieldset className="grid gap-1.5">
          <legend className="mb-1 text-[13px] text-soft">A calibration holds for so many days</legend>
          <div className="grid grid-cols-2 gap-2 min-[700px]:grid-cols-4">
            {sensors.map((sensor) => (
              <label key={sensor.key} className="text-[13px]">
                {sensor.label}
                <input
                  className={inputLook}
                  inputMode="numeric"
                  value={days[sensor.key] ?? ""}
                  placeholder={String(sensor.every_days)}
                  onChange={(e) => {
                    const typed = Number(e.target.value);
                    const { [sensor.key]: _, ...rest } = days;
                    if (e.target.value.trim() === "") onDays(rest);
                    else if (Number.isInteger(typed) && typed > 0 && typed <= MOST_DAYS)
                      onDays({ ...rest, [sensor.key]: typed });
                  }}
                />
              </label>
            ))}
          </div>
        </fieldset>
      )}
    </>
  );
}

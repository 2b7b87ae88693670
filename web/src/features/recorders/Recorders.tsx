import { Link, useSearchParams } from "react-router";
import { Segmented } from "@/ui/segmented";
import { Board } from "./Board";
import { RegisterList } from "./RegisterList";

const AS = [
  ["board", "Board"],
  ["list", "List"],
] as const;

/** All recorders: a board of what can be done with them, or a list of what is known of them. */
export default function Recorders() {
  const [params, setParams] = useSearchParams();
  const asList = params.get("as") === "list";
  const head = (
    <>
      <Link to="/wall" className="ml-auto min-h-6 text-act hover:underline">
        Live
      </Link>
      <Link to="/bench" className="min-h-6 text-act hover:underline">
        Check bench
      </Link>
      <Link to="/firmware" className="min-h-6 text-act hover:underline">
        Firmware
      </Link>
      <Link to="/vehicles" className=" min-h-6 text-act hover:underline">
        Vehicles
      </Link>
      <Segmented
        label="Recorders as"
        value={asList ? "list" : "board"}
        choices={AS}
        onChange={(as) => setParams(as === "list" ? { as } : {}, { replace: true })}
      />
    </>
  );
  return asList ? <RegisterList head={head} /> : <Board head={head} />;
}

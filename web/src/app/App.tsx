import { type QueryClient, useQuery, useQueryClient } from "@tanstack/react-query";
import { lazy, Suspense, useEffect, useState } from "react";
import { Navigate, Route, Routes } from "react-router";
import { api, ask, type Schemas, SIGNED_OUT } from "@/api/client";
import { ahead, fetched } from "@/api/fetched";
import { readIn } from "@/api/readers";
import { reviewAhead } from "@/features/review/ahead";
import { Loading, Trouble } from "@/ui/basics";
import { Boundary } from "./Boundary";
import { Shell } from "./Shell";
import { SignIn } from "./SignIn";

const SCREENS = {
  "hand-out": fetched(() => import("@/features/hand-out/HandOut")),
  "take-in": fetched(() => import("@/features/take-in/TakeIn")),
  review: fetched(() => import("@/features/review/Review")),
  report: fetched(() => import("@/features/report/Report")),
  people: fetched(() => import("@/features/people/People")),
  many: fetched(() => import("@/features/report/Many")),
  plan: fetched(() => import("@/features/plan/PlanPage")),
  groups: fetched(() => import("@/features/groups/Groups")),
  recorders: fetched(() => import("@/features/recorders/Recorders")),
  bench: fetched(() => import("@/features/bench/BenchPage")),
  certificates: fetched(() => import("@/features/bench/CertificatesPage")),
  firmware: fetched(() => import("@/features/firmware/FirmwarePage")),
  radio: fetched(() => import("@/features/radio/RadioPage")),
  spot: fetched(() => import("@/features/sensors/SpotPage")),
  wall: fetched(() => import("@/features/wall/WallPage")),
  sensors: fetched(() => import("@/features/sensors/Sensors")),
  sessions: fetched(() => import("@/features/sessions/Sessions")),
  vehicles: fetched(() => import("@/features/yard/Yard")),
  courses: fetched(() => import("@/features/yard/CoursePage")),
  limits: fetched(() => import("@/features/limits/Limits")),
  settings: fetched(() => import("@/features/settings/Settings")),
};
const HandOut = lazy(SCREENS["hand-out"]);
const TakeIn = lazy(SCREENS["take-in"]);
const Review = lazy(SCREENS.review);
const Compare = lazy(fetched(() => import("@/features/review/Compare")));
const Several = lazy(fetched(() => import("@/features/review/Several")));
const Report = lazy(SCREENS.report);
const WallPage = lazy(SCREENS.wall);
const SpotPage = lazy(SCREENS.spot);
const BenchPage = lazy(SCREENS.bench);
const CertificatesPage = lazy(SCREENS.certificates);
const FirmwarePage = lazy(SCREENS.firmware);
const RadioPage = lazy(SCREENS.radio);
const People = lazy(SCREENS.people);
const Groups = lazy(SCREENS.groups);
const PlanPage = lazy(SCREENS.plan);
const Many = lazy(SCREENS.many);
const Recorders = lazy(SCREENS.recorders);
const Sensors = lazy(SCREENS.sensors);
const Sessions = lazy(SCREENS.sessions);
const Yard = lazy(SCREENS.vehicles);
const CoursePage = lazy(SCREENS.courses);
const Limits = lazy(SCREENS.limits);
const Settings = lazy(SCREENS.settings);

/** The screen in the address is fetched, and what it shows first, while the server is still being asked who is signed in. */
export function goAhead(queries: QueryClient) {
  const wanted = window.location.pathname.split("/")[1] || "take-in";
  if (wanted === "review") reviewAhead(queries);
  if (wanted in SCREENS) ahead(SCREENS[wanted as keyof typeof SCREENS]);
}

/** Who is signed in; what was fetched ahead in other units than theirs is fetched anew. */
async function stateIn(queries: QueryClient) {
  const state = await ask(api.GET("/api/state"));
  if (state.me && readIn(state.me.reads))
    queries.removeQueries({ predicate: (query) => query.queryKey[0] !== "state" });
  return state;
}

/** What the address of a screen opens, without a sign-in: the wall alone. */
function Screen() {
  const word = window.location.hash.slice(1);
  return (
    <div id="screen" className="h-dvh">
      <Suspense fallback={<Loading view="The wall" what="the wall" />}>
        <WallPage word={word} />
      </Suspense>
    </div>
  );
}

export function App() {
  return window.location.pathname === "/screen" ? <Screen /> : <Signed />;
}

function Signed() {
  const queries = useQueryClient();
  const state = useQuery({ queryKey: ["state"], queryFn: () => stateIn(queries) });
  // Who was signed in last stays on the screen, with everything typed, while somebody signs in again over it.
  const [me, setMe] = useState<Schemas["Me"] | null>(null);
  useEffect(() => {
    if (state.data?.me) setMe(state.data.me);
  }, [state.data]);
  useEffect(() => {
    // The server says whether it is so: an answer may be older than the sign-in.
    const out = () => queries.invalidateQueries({ queryKey: ["state"] });
    window.addEventListener(SIGNED_OUT, out);
    return () => window.removeEventListener(SIGNED_OUT, out);
  }, [queries]);
  const expired = me !== null && state.data !== undefined && state.data.me === null;
  const shown = state.data?.me ?? me;
  if (state.isError && !shown) return <Trouble view="Kumpel" error={state.error} again={() => state.refetch()} />;
  if (!state.data && !shown) return <Loading view="Kumpel" what="Kumpel" />;
  if (!shown) return <SignIn first={state.data?.first_visit ?? false} />;
  return (
    <>
      <Shell me={shown}>
        <Boundary>
          <Suspense fallback={<Loading view="Kumpel" what="the page" />}>
            <Routes>
              <Route path="/" element={<Navigate to="/take-in" replace />} />
              <Route path="/hand-out" element={<HandOut />} />
              <Route path="/take-in" element={<TakeIn />} />
              <Route path="/review/:id?" element={<Review />} />
              <Route path="/review/:id/compare" element={<Compare />} />
              <Route path="/compare" element={<Several />} />
              <Route path="/report/many/:batch?" element={<Many />} />
              <Route path="/report/:id?" element={<Report />} />
              <Route path="/people/:id?" element={<People />} />
              <Route path="/plan" element={<PlanPage />} />
              <Route path="/groups/:id?" element={<Groups />} />
              <Route path="/recorders" element={<Recorders />} />
              <Route path="/recorders/:id/look" element={<SpotPage />} />
              <Route path="/bench" element={<BenchPage />} />
              <Route path="/certificates" element={<CertificatesPage />} />
              <Route path="/firmware" element={<FirmwarePage />} />
              <Route path="/radio" element={<RadioPage />} />
              <Route path="/wall" element={<WallPage />} />
              <Route path="/recorders/:id/sensors" element={<Sensors />} />
              <Route path="/vehicles" element={<Yard />} />
              <Route path="/courses/:id" element={<CoursePage />} />
              <Route path="/sessions" element={<Sessions />} />
              <Route path="/limits" element={<Limits />} />
              <Route path="/settings" element={<Settings />} />
              <Route path="*" element={<Navigate to="/take-in" replace />} />
            </Routes>
          </Suspense>
        </Boundary>
      </Shell>
      {expired && <SignIn first={false} over={shown} />}
    </>
  );
}

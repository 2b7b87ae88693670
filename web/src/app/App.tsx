import { useQuery } from "@tanstack/react-query";
import { lazy, Suspense } from "react";
import { Navigate, Route, Routes } from "react-router";
import { api, ask } from "@/api/client";
import { Loading, Trouble } from "@/ui/basics";
import { Shell } from "./Shell";
import { SignIn } from "./SignIn";

const HandOut = lazy(() => import("@/features/hand-out/HandOut"));
const TakeIn = lazy(() => import("@/features/take-in/TakeIn"));
const Review = lazy(() => import("@/features/review/Review"));
const Report = lazy(() => import("@/features/report/Report"));
const People = lazy(() => import("@/features/people/People"));
const Recorders = lazy(() => import("@/features/recorders/Recorders"));
const Sessions = lazy(() => import("@/features/sessions/Sessions"));
const Limits = lazy(() => import("@/features/limits/Limits"));

export function App() {
  const state = useQuery({ queryKey: ["state"], queryFn: () => ask(api.GET("/api/state")) });
  if (state.isError) return <Trouble error={state.error} again={() => state.refetch()} />;
  if (!state.data) return <Loading what="Kumpel" />;
  if (!state.data.me) return <SignIn first={state.data.first_visit} />;
  return (
    <Shell me={state.data.me}>
      <Suspense fallback={<Loading what="the page" />}>
        <Routes>
          <Route path="/" element={<Navigate to="/take-in" replace />} />
          <Route path="/hand-out" element={<HandOut />} />
          <Route path="/take-in" element={<TakeIn />} />
          <Route path="/review/:id?" element={<Review />} />
          <Route path="/report/:id?" element={<Report />} />
          <Route path="/people/:id?" element={<People />} />
          <Route path="/recorders" element={<Recorders />} />
          <Route path="/sessions" element={<Sessions />} />
          <Route path="/limits" element={<Limits />} />
          <Route path="*" element={<Navigate to="/take-in" replace />} />
        </Routes>
      </Suspense>
    </Shell>
  );
}

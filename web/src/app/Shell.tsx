import { useQuery } from "@tanstack/react-query";
import { lazy, type ReactNode, Suspense, useMemo, useState } from "react";
import { NavLink, useLocation, useNavigate } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { Dialog } from "@/ui/dialog";
import { type Key, keysInView, takeMainStep, useKeys } from "@/ui/keys";
import { useScreenTitle } from "@/ui/title";
import { Find } from "./Find";
import { useFocusKept } from "./focus";
import { LOADING, type Loading, useLive } from "./live";
import mark from "./mark.svg";
import "./theme";

const STATIONS = [
  { to: "/hand-out", name: "Hand out", count: "hand_out", means: "recorders ready to go out" },
  { to: "/take-in", name: "Take in", count: "take_in", means: "new sessions on recorders" },
  { to: "/review", name: "Review", count: "review", means: "sessions waiting for a look" },
  { to: "/report", name: "Report", count: "report", means: "signed sessions without a report" },
] as const;

const REGISTERS = [
  ["/plan", "Plan"],
  ["/people", "People"],
  ["/recorders", "Recorders"],
  ["/sessions", "Sessions"],
  ["/limits", "Limits"],
] as const;

function Station({
  to,
  name,
  count,
  means,
  late = 0,
}: {
  to: string;
  name: string;
  count: number | undefined;
  means: string;
  /** People who are overdue under the plan. */
  late?: number;
}) {
  const here = useLocation().pathname.startsWith(to);
  return (
    <NavLink
      to={to}
      title={count === undefined ? undefined : `${count} ${means}`}
      className={`relative block w-[86px] pt-2.5 min-[960px]:w-[118px] pl-2.5 min-[1180px]:w-[150px] ${here ? "text-white" : "text-[#b9c4c8] hover:text-white"}`}
    >
      <i
        className={`mt-[5px] block size-3.5 rounded-full border-2 ${here ? "border-[#b98a2e] bg-[#b98a2e] shadow-[0_0_0_4px_#b98a2e44]" : "border-[#7d949e] bg-slate"}`}
      />
      <b className="mt-1.5 block font-medium font-narrow text-[15px]">{name}</b>
      {count !== undefined && (
        <em
          className={`absolute top-[7px] left-[34px] rounded-[9px] px-2 py-px font-narrow font-semibold text-[13px] not-italic ${here ? "bg-[#b98a2e] text-[#1d1503]" : "bg-[#3b5460] text-white"}`}
        >
          {count}
        </em>
      )}
      <span className="sr-only"> {means}</span>
      {late > 0 && (
        <span
          title={`${late} ${late === 1 ? "person is" : "people are"} overdue under the plan`}
          className="absolute top-[9px] left-[72px] flex items-center gap-1 font-narrow font-semibold text-[#e8b354] text-[12.5px]"
        >
          <i
            className="inline-block size-[10px] rounded-full border-2 border-[#e8b354]"
            style={{ background: "linear-gradient(90deg, #e8b354 50%, transparent 50%)" }}
          />
          {late}
          <span className="sr-only"> people overdue</span>
        </span>
      )}
    </NavLink>
  );
}

const Menu = lazy(() => import("./Menu"));

/** Opens the menu of whoever is signed in; what a menu takes is fetched when one is wanted. */
function MenuButton({ me }: { me: Schemas["Me"] }) {
  const [wanted, setWanted] = useState(false);
  const title = `Menu of ${me.name}`;
  const look =
    "grid size-8 place-items-center rounded-full border border-[#58707b] font-narrow font-semibold text-[#e9e6dd] text-[13px]";
  const initials = me.name
    .split(" ")
    .map((w) => w[0])
    .join("")
    .slice(0, 2);
  const button = (
    <button
      type="button"
      aria-haspopup="menu"
      aria-expanded={false}
      title={title}
      className={look}
      onPointerEnter={() => import("./Menu")}
      onClick={() => setWanted(true)}
    >
      {initials}
    </button>
  );
  if (!wanted) return button;
  return (
    <Suspense fallback={button}>
      <Menu me={me} title={title} look={look} initials={initials} />
    </Suspense>
  );
}

/** Data that is loaded behind the running server: how much of it is here. */
function LoadedSoFar() {
  const { data } = useQuery<Loading>({ queryKey: LOADING, enabled: false });
  if (!data || data.done >= data.of) return null;
  return (
    <span
      role="status"
      title="Three months of made-up sessions come in behind this; everything can be used meanwhile."
      className="whitespace-nowrap rounded-full bg-[#3b5460] px-2.5 py-0.5 text-[13px] text-white"
    >
      {data.done} of {data.of} <span className="sr-only min-[1440px]:not-sr-only">sessions loaded</span>
    </span>
  );
}

const PILL = "whitespace-nowrap rounded-full bg-[#3b5460] px-2.5 py-0.5 text-[13px] text-white";

/** What the server works on by itself, in one pill: the head has no room for three. */
function AtWork({ waiting }: { waiting: Schemas["Waiting"] | undefined }) {
  const all = [
    { count: waiting?.arriving ?? 0, words: "coming in", to: "/take-in" },
    { count: waiting?.assessing ?? 0, words: "being computed", to: "" },
    { count: waiting?.issuing ?? 0, words: "reports to issue", to: "/report/many" },
  ].filter((each) => each.count > 0);
  const [first] = all;
  if (!first) return null;
  const said = all.map(({ count, words }) => `${count} ${words}`).join(", ");
  const inside = (
    <>
      {all.reduce((sum, each) => sum + each.count, 0)}{" "}
      <span className="hidden min-[1180px]:inline">{all.length > 1 ? "at work" : first.words}</span>
    </>
  );
  const to = all.find((each) => each.to)?.to;
  return to ? (
    <NavLink to={to} className={PILL} title={said} aria-label={said}>
      {inside}
    </NavLink>
  ) : (
    <span className={PILL} title={said} role="status" aria-label={said}>
      {inside}
    </span>
  );
}

/** The head band with the line and the registers, and the screen below it. */
export function Shell({ me, children }: { me: Schemas["Me"]; children: ReactNode }) {
  const here = useLive();
  const screen = useFocusKept();
  const at = useLocation().pathname;
  useScreenTitle(
    [...STATIONS.map((s) => [s.to, s.name]), ...REGISTERS, ["/settings", "Settings"]].find(
      ([to]) => to && at.startsWith(to),
    )?.[1],
  );
  const navigate = useNavigate();
  const [finding, setFinding] = useState(false);
  const [listing, setListing] = useState<Key[] | null>(null);
  const waiting = useQuery({ queryKey: ["line"], queryFn: () => ask(api.GET("/api/line")) });
  const late = useQuery({ queryKey: ["plan", "overdue"], queryFn: () => ask(api.GET("/api/plan/overdue")) });
  const keys = useMemo<Key[]>(
    () => [
      ...STATIONS.map((s, i) => ({ keys: String(i + 1), does: `go to ${s.name}`, run: () => navigate(s.to) })),
      { keys: "Ctrl K", does: "find anything", run: () => setFinding(true) },
      { keys: "Ctrl Enter", does: "take the main step of this screen", run: takeMainStep },
      { keys: "?", does: "show this list", run: () => setListing(keysInView()) },
    ],
    [navigate],
  );
  useKeys(keys);
  return (
    <div className="grid h-screen grid-rows-[64px_minmax(0,1fr)]">
      <a
        href="#screen"
        className="absolute top-2 left-2 z-50 -translate-y-16 rounded bg-panel px-3 py-2 focus:translate-y-0"
      >
        To the content
      </a>
      <header className="relative flex items-stretch bg-slate pr-[18px] text-[#e9e6dd]">
        <div className="flex w-[56px] flex-none items-center gap-2.5 pl-4 font-narrow font-semibold text-[21px] min-[960px]:w-[150px] min-[960px]:pl-5 min-[1180px]:w-[170px]">
          <img src={mark} alt="" width={26} height={26} />
          <span className="max-[959px]:sr-only">Kumpel</span>
        </div>
        <nav aria-label="The line" className="relative flex">
          <span className="absolute top-[21px] right-[70px] left-[10px] min-[960px]:right-[100px] h-0.5 bg-[#4b6470]" />
          {STATIONS.map((s) => (
            <Station
              key={s.to}
              to={s.to}
              name={s.name}
              means={s.means}
              count={waiting.data?.[s.count]}
              late={s.to === "/hand-out" ? late.data?.people : 0}
            />
          ))}
        </nav>
        <nav
          aria-label="Registers"
          className="ml-auto flex items-center gap-2.5 font-medium font-narrow text-[#c6d0d3] text-[13px] min-[960px]:gap-4 min-[960px]:text-[14px] min-[1180px]:gap-5"
        >
          <AtWork waiting={waiting.data} />
          <LoadedSoFar />
          {REGISTERS.map(([to, name]) => (
            <NavLink
              key={to}
              to={to}
              className={({ isActive }) =>
                isActive || (to === "/people" && at.startsWith("/groups"))
                  ? "text-white underline decoration-[#b98a2e] decoration-2 underline-offset-8"
                  : "hover:text-white"
              }
            >
              {name}
            </NavLink>
          ))}
          <button
            type="button"
            onClick={() => setFinding(true)}
            aria-label="Ctrl K, find anything"
            className="whitespace-nowrap rounded border border-[#58707b] px-1.5 text-[#9fb0b7] text-[12px]"
          >
            Ctrl K
          </button>
          <MenuButton me={me} />
        </nav>
        {!here && (
          <p
            role="status"
            className="absolute top-full left-1/2 z-30 -translate-x-1/2 rounded-b-md border border-action border-t-0 bg-warn px-4 py-1.5 text-ink"
          >
            The server does not answer. What is stored is safe; this page comes back by itself.
          </p>
        )}
      </header>
      <div id="screen" ref={screen} tabIndex={-1} className="min-h-0 outline-none">
        {children}
      </div>
      <Find open={finding} onClose={() => setFinding(false)} />
      <Dialog title="Keys on this screen" open={listing !== null} onClose={() => setListing(null)}>
        <dl className="grid grid-cols-[110px_1fr] gap-y-1.5">
          {(listing ?? []).map((k) => (
            <div key={k.keys} className="contents">
              <dt>
                <kbd className="rounded border border-line bg-salt px-1.5 font-narrow">{k.keys}</kbd>
              </dt>
              <dd>{k.does}</dd>
            </div>
          ))}
        </dl>
      </Dialog>
    </div>
  );
}

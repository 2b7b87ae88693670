import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useNavigate } from "react-router";
import { api, ask, type Schemas } from "@/api/client";
import { inputLook } from "@/ui/basics";
import { Dialog } from "@/ui/dialog";
import { useEnterWaits } from "@/ui/people";
import { TYPING_RESTS_MS, useRested } from "@/ui/rested";

interface Choice {
  id: string;
  title: string;
  about: string;
  go: string;
}

const PLACES: Choice[] = [
  ["Hand out", "a recorder to a person", "/hand-out"],
  ["Take in", "sessions from recorders", "/take-in"],
  ["Review", "what waits for a look", "/review"],
  ["Report", "issue and find again", "/report"],
  ["People", "register", "/people"],
  ["Plan", "who is due, and when", "/plan"],
  ["Groups", "people looked at together", "/groups"],
  ["Recorders", "register", "/recorders"],
  ["Vehicles and courses", "register", "/vehicles"],
  ["Live: who is out now", "screen", "/wall"],
  ["Check bench", "screen", "/bench"],
  ["Certificates of checks", "register", "/certificates"],
  ["Firmware", "screen", "/firmware"],
  ["Radio: networks of recorders", "screen", "/radio"],
  ["Sessions", "register", "/sessions"],
  ["Limits", "register", "/limits"],
].map(([title = "", about = "", go = ""]) => ({ id: go, title, about, go }));

type Hit = Schemas["Hit"];

const TARGET = {
  person: ({ id }: Hit) => `/people/${id}`,
  recorder: ({ title }: Hit) => `/recorders?find=${encodeURIComponent(title)}`,
  session: ({ id }: Hit) => `/review/${id}`,
  certificate: ({ title }: Hit) => `/certificates?find=${encodeURIComponent(title)}`,
};

/** Ctrl K: any person, recorder, session or place by a few letters. */
export function Find({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [words, setWords] = useState("");
  const [at, setAt] = useState(0);
  const navigate = useNavigate();
  const rested = useRested(words, TYPING_RESTS_MS);
  const found = useQuery({
    queryKey: ["find", rested],
    queryFn: () => ask(api.GET("/api/find", { params: { query: { words: rested } } })),
    enabled: open && rested.trim().length > 0,
    placeholderData: keepPreviousData,
  });
  const places = PLACES.filter((p) => p.title.toLowerCase().includes(words.trim().toLowerCase()));
  const hits = (words.trim() ? (found.data ?? []) : []).map((h) => ({
    id: `${h.what} ${h.id}`,
    title: h.title,
    about: `${h.what}, ${h.about}`,
    go: TARGET[h.what](h),
  }));
  const choices = [...hits, ...places];
  const go = (choice: Choice | undefined) => {
    if (!choice) return;
    navigate(choice.go);
    setWords("");
    setAt(0);
    onClose();
  };
  // What is listed may still be what was found for fewer letters: Enter waits for that of all of them.
  const there = !words.trim() || (rested === words && !found.isFetching);
  const enter = useEnterWaits(words, there, () => go(choices[at]));
  return (
    <Dialog title="Find" open={open} onClose={onClose} wide>
      <input
        className={inputLook}
        aria-label="Find a person, recorder, session or place"
        placeholder="a name, a number, a recorder, a place"
        value={words}
        onChange={(e) => {
          setWords(e.target.value);
          setAt(0);
        }}
        onKeyDown={(e) => {
          if (e.key === "ArrowDown") setAt(Math.min(at + 1, choices.length - 1));
          else if (e.key === "ArrowUp") setAt(Math.max(at - 1, 0));
          else if (e.key === "Enter") enter();
          else return;
          e.preventDefault();
        }}
      />
      <ul className="mt-2">
        {choices.map((c, i) => (
          <li key={c.id}>
            <button
              type="button"
              onClick={() => go(c)}
              className={`flex w-full items-baseline gap-3 rounded px-2.5 py-1.5 text-left ${i === at ? "bg-act-soft" : "hover:bg-hair"}`}
            >
              <b className="font-medium">{c.title}</b>
              <span className="truncate text-soft">{c.about}</span>
            </button>
          </li>
        ))}
        {choices.length === 0 && <li className="px-2.5 py-1.5 text-soft">Nothing of that name.</li>}
      </ul>
    </Dialog>
  );
}

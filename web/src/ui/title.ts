import { useEffect, useLayoutEffect } from "react";

const name = (words: (string | null | undefined)[]) => {
  const title = words.filter(Boolean).join(", ");
  if (title) document.title = `${title} – Kumpel`;
};

/** What the window and its history are called while this is shown: "Review, Petter Lunde – Kumpel". */
export function useTitle(...words: (string | null | undefined)[]) {
  const joined = words.filter(Boolean).join(", ");
  useEffect(() => name([joined]), [joined]);
}

/** The title of a screen, before what is shown on it says more. */
export function useScreenTitle(words: string | undefined) {
  useLayoutEffect(() => name([words]), [words]);
}

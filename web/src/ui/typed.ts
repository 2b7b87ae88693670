import { useState } from "react";

interface Sent {
  /** As it will be shown when it is kept. */
  text: string;
  answered: boolean;
}

/** How long what was sent stays when the answer changes nothing that is shown. */
const LINGERS_MS = 500;

/**
 * What somebody types over a kept value. What was sent stands until the kept value is on screen: an old value between the two
 * would take the place, and the selection, of what is typed next. What is typed meanwhile is newer, and stands.
 */
export function useTyped(kept: string) {
  const [typed, setTyped] = useState<string | null>(null);
  const [sent, setSent] = useState<Sent | null>(null);
  if (sent?.answered && sent.text === kept) setSent(null);
  /** What is kept, or will be when what is on its way is taken. */
  const awaited = sent?.text ?? kept;
  return {
    text: typed ?? awaited,
    awaited,
    /** What was typed and not sent. */
    typed,
    type: setTyped,
    forget: () => setTyped(null),
    /** When the answer is no, `back` is typed again, else the kept value is there. */
    send: (shown: string, answer: Promise<boolean>, back: string | null = null) => {
      const own: Sent = { text: shown, answered: false };
      const answered: Sent = { text: shown, answered: true };
      setTyped(null);
      setSent(own);
      void answer.then((done) => {
        setSent((now) => (now === own ? (done ? answered : null) : now));
        if (!done) setTyped((now) => now ?? back);
        setTimeout(() => setSent((now) => (now === answered ? null : now)), LINGERS_MS);
      });
    },
  };
}
